import { UserError } from "@/core/job";
import type { Card } from "@/core/formats";
import type { FrameRef } from "@/engine/frames";
import { PRIORITY } from "@/engine/pool";
import type { MasterRecord, StackPicture, SubRecord } from "@/storage";
import { stackPictureId } from "@/storage";
import { claimsOf } from "./calibration";
import type { ProjectStore } from "./projectStore";

/** The stored files of a project as workers take them, each opened once. */
export class Files {
  private readonly opened = new Map<string, Promise<FrameRef>>();

  constructor(private readonly base: ProjectStore) {}

  private blob(id: string, name: string): Promise<FrameRef> {
    const known = this.opened.get(id);
    if (known) return known;
    const opening = this.base.stored.blob(id).then((blob): FrameRef => {
      if (!blob)
        throw new UserError(`${name}: its file is missing from the browser's storage`, "Import the file again.");
      return { id, name, kind: "blob", blob };
    });
    this.opened.set(id, opening);
    opening.catch(() => this.opened.delete(id));
    return opening;
  }

  /** A frame as it was stored, without calibration. */
  async raw(sub: SubRecord): Promise<FrameRef> {
    const file = await this.blob(sub.fileId, sub.name);
    return { ...file, id: sub.id, fileId: `${sub.fileId} stored`, frame: sub.frame, claims: claimsOf(sub) };
  }

  master(master: Pick<MasterRecord, "id" | "name">): Promise<FrameRef> {
    return this.blob(master.id, master.name);
  }

  stack(stack: { id: string; name: string }, kind: StackPicture): Promise<FrameRef> {
    return this.blob(stackPictureId(stack.id, kind), `${stack.name} (${kind})`);
  }

  /** The header of a frame's file, as it came. */
  async cards(sub: SubRecord): Promise<Card[]> {
    const { stored, pool } = this.base;
    const kept = await stored.cards(sub.fileId);
    if (kept) return kept;
    return (await pool.run("readFile", { frame: await this.raw(sub) }, { priority: PRIORITY.view })).cards;
  }
}
