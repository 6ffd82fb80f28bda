"use client";

import { useMemo } from "react";
import type { SubRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";

/** Lights that were measured before their unit or the calibration changed. */
export function useStaleLights(): SubRecord[] {
  const { calibration } = useSession();
  const subs = useProject((state) => state.subs);
  const masters = useProject((state) => state.masters);
  const project = useProject((state) => state.project);
  return useMemo(() => calibration.staleLights({ subs, masters, project }), [calibration, subs, masters, project]);
}
