import { toast } from "sonner";
import type { ProjectSession } from "@/state/project";
import { UNDO_MS } from "@/state/subs";

/** Removes subs from the project, and offers to bring them back as long as that can be done. */
export function removeSubs(session: ProjectSession, ids: readonly string[]): void {
  if (ids.length === 0) return;
  const { removed, undo } = session.subs.remove(ids);
  toast(`${removed === 1 ? "One frame was" : `${removed} frames were`} removed from the project`, {
    duration: UNDO_MS,
    action: { label: "Undo", onClick: undo },
  });
}
