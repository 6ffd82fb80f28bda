import type { ProjectRecord, ReadRepository, WriteRepository } from "@/storage";
import { RECORD_VERSION, projectRecord } from "@/storage";
import { exposureOf } from "./lights";

/** What a card on the shelf shows. */
export interface ProjectCard {
  project: ProjectRecord;
  subs: number;
  stacks: number;
  integrationS: number;
}

export function newProject(name: string, demo: boolean, demoKind: ProjectRecord["demoKind"] = "night"): ProjectRecord {
  const now = Date.now();
  return projectRecord.parse({
    version: RECORD_VERSION,
    id: crypto.randomUUID(),
    name,
    createdAt: now,
    openedAt: now,
    demo,
    demoKind,
    deletedAt: null,
    thumbnail: null,
    subCount: 0,
    integrationS: 0,
    referenceId: null,
    stage: "subs",
  });
}

/** A deleted project can be brought back for this long; it is removed for good when the shelf is opened after that. */
export const KEEP_DELETED_MS = 10 * 60 * 1000;

/** All projects that are not deleted, last opened first; old deleted ones are removed. */
export async function readShelf(
  repository: ReadRepository & WriteRepository,
  now: number,
): Promise<{ cards: ProjectCard[]; problems: string[] }> {
  const { found, problems } = await repository.projects();
  const cards: ProjectCard[] = [];
  for (const project of found) {
    if (project.deletedAt !== null) {
      if (now - project.deletedAt > KEEP_DELETED_MS) await repository.deleteProject(project.id);
      continue;
    }
    const stacks = await repository.stackCount(project.id);
    const { subCount, integrationS } = project;
    if (subCount !== null && integrationS !== null) cards.push({ project, subs: subCount, stacks, integrationS });
    else {
      const { found: subs } = await repository.subs(project.id);
      cards.push({ project, subs: subs.length, stacks, integrationS: exposureOf(subs) });
    }
  }
  cards.sort((a, b) => b.project.openedAt - a.project.openedAt);
  return { cards, problems };
}
