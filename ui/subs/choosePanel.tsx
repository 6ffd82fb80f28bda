"use client";

import { useMemo } from "react";
import { measureOf } from "@/core/choose";
import { useProject, useSession } from "../frame/session";
import { TypeHint } from "./headerPanel";
import { ReferenceStrip } from "./referenceStrip";
import { removeSubs } from "./removeSubs";
import { RulesPanel } from "./rulesPanel";
import { SetsBar } from "./setsBar";
import { SubsTable } from "./subsTable";
import type { Chosen } from "./useChosen";

interface Props {
  chosen: Chosen;
  thumbnails: boolean;
  onShowHeader: () => void;
}

/** Sets, rules, the reference and the table: which frames go into a stack. */
export function ChoosePanel({ chosen, thumbnails, onShowHeader }: Props) {
  const session = useSession();
  const columns = useProject((state) => state.project.columns);
  const grading = useProject((state) => state.grading);
  const { grades, frames, sorted, current, selection, reference, rival, byId, subs, proposal } = chosen;
  const referenceId = chosen.project.referenceId;
  const shownColumns = useMemo(
    () => columns.filter((id) => frames.some((frame) => measureOf(id).value(frame) !== null)),
    [columns, frames],
  );
  if (!current) return null;
  return (
    <>
      <SetsBar
        sets={grades.sets}
        shown={chosen.setKey}
        onShow={chosen.setSetKey}
        heaviest={chosen.heaviest}
        rankedBy={current.video ? "sharpest" : "heaviest"}
        total={sorted.length}
        onHeaviest={chosen.keepHeaviest}
      />
      <RulesPanel frames={frames} />
      {frames.length > 0 ? (
        <>
          <ReferenceStrip
            {...{ current, reference, rival, selection, grading }}
            others={subs.length - grades.lights.length}
            reason={
              proposal
                ? {
                    text: `${referenceId === null ? "Reference" : "Proposed"}: ${byId.get(proposal.id)?.name ?? ""} (${proposal.reasons.join("; ")})`,
                    lines: proposal.reasons,
                  }
                : null
            }
            onDecide={(include) => chosen.decide(selection, include)}
            onRules={() => session.subs.decide(selection, null)}
            onRemove={() => removeSubs(session, selection)}
            onMatch={chosen.matchToThis}
            onRival={chosen.toRivalAndBack}
          />
          <SubsTable
            {...{ thumbnails, selection }}
            sort={chosen.sort}
            columns={shownColumns}
            frames={sorted}
            subs={byId}
            verdicts={grades.verdicts}
            currentId={current.id}
            referenceId={reference?.id ?? null}
            onSort={chosen.sortBy}
            onPick={chosen.pick}
            onDecide={(id, include) => chosen.decide([id], include)}
            onRival={(id) => session.subs.markRival(id)}
          />
        </>
      ) : (
        <TypeHint onShow={onShowHeader} />
      )}
    </>
  );
}
