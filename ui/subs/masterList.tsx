"use client";

import { Trash2 } from "lucide-react";
import { failureOf } from "@/engine/protocol";
import type { MasterRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";

/** Hot and cold pixels of a master dark, as places in its picture. */
export interface DefectMap {
  hot: Uint32Array;
  cold: Uint32Array;
  width: number;
  height: number;
  masterId: string;
}

export interface MasterListProps {
  /** What is marked in the picture. */
  map: DefectMap | null;
  onMap: (map: DefectMap | null) => void;
  onProblem: (problem: string | null) => void;
}

/** The masters of the project: what each was made of, and what is wrong with it. */
export function MasterList({ map, onMap, onProblem }: MasterListProps) {
  const masters = useProject((state) => state.masters);
  return (
    <section>
      <h3 className="mb-1 text-quiet">Masters</h3>
      {masters.length === 0 ? (
        <p className="text-quiet">
          None yet. Bring in bias, dark and flat frames as they left the camera; their cards say which is which.
        </p>
      ) : null}
      <ul className="space-y-1">
        {masters.map((master) => (
          <Master key={master.id} {...{ master, map, onMap, onProblem }} />
        ))}
      </ul>
    </section>
  );
}

function Master({ master, map, onMap, onProblem }: MasterListProps & { master: MasterRecord }) {
  const session = useSession();
  const { settings } = useProject((state) => state.project.calibration);
  const hasFrames = useProject((state) => state.subs.some(({ id }) => id === master.frames[0]));
  const isShown = map?.masterId === master.id;
  const showMap = async () => {
    if (isShown) return onMap(null);
    try {
      const found = await session.pool.run("defects", {
        dark: await session.files.master(master),
        pattern: settings.pattern ?? master.metadata.cfa,
        kSigma: settings.hotSigma || 5,
      });
      onProblem(null);
      onMap({ ...found, masterId: master.id });
    } catch (reason) {
      onProblem(failureOf(reason).message);
    }
  };
  return (
    <li className="rounded border border-line bg-raised px-2 py-1">
      <div className="flex items-center gap-2">
        <span className="min-w-0 flex-1 truncate">{master.name}</span>
        {master.kind === "dark" ? (
          <Button
            kind="quiet"
            help="Marks hot pixels (coral) and cold ones (blue) in the picture"
            aria-pressed={isShown}
            onClick={() => void showMap()}
          >
            {isShown ? `${map.hot.length} hot, ${map.cold.length} cold · hide` : "Show hot pixels"}
          </Button>
        ) : null}
        {hasFrames ? (
          <Button
            kind="quiet"
            help="Shows the frames that it was made of, one by one"
            onClick={() => session.subs.select(master.frames[0])}
          >
            Look
          </Button>
        ) : null}
        <IconButton label={`Delete ${master.name}`} onClick={() => void session.calibration.deleteMaster(master.id)}>
          <Trash2 size={12} />
        </IconButton>
      </div>
      <div className="text-sm text-quiet">{master.recipe}</div>
      {master.warnings.map((text) => (
        <div key={text} className="text-sm text-warn">
          {text}
        </div>
      ))}
    </li>
  );
}
