import { writeFile } from "node:fs/promises";
import { z } from "zod";
import type { GradedFrame } from "@/core/choose";
import { applyRules, flagsOf, measuresCsv, proposeReference } from "@/core/choose";
import { UserError } from "@/core/job";
import { PRIORITY } from "@/engine/pool";
import { relativeWeights } from "@/engine/grade";
import { checkOptions, parseArguments } from "./arguments";
import { withPool } from "./session";
import { withSubs } from "./subs";

const options = z.object({
  out: z.string({ error: "a CSV file to write to is needed" }),
  reference: z.string().optional(),
});

/** grade: measures subs against a reference and writes every measure as CSV. */
export async function grade(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, ["out", "reference"]);
  const { out, reference: asked } = checkOptions(options, given);
  if (files.length === 0) throw new UserError("no subs are given", "Name the subs to grade.");
  const all = asked === undefined || files.includes(asked) ? files : [...files, asked];
  return withPool((pool) =>
    withSubs(pool, all, async (subs, failures) => {
      const graded = (relations: Map<string, GradedFrame["relation"]>): GradedFrame[] => {
        const weights = relativeWeights(
          subs.map(({ facts }) => ({
            id: facts.id,
            measures: facts.measures,
            relation: relations.get(facts.id) ?? null,
          })),
        );
        return subs.map(({ facts, reading }, order) => ({
          id: facts.id,
          name: facts.name,
          order,
          width: facts.width,
          height: facts.height,
          bitpix: reading.bitpix,
          metadata: reading.metadata,
          pixelScale: reading.pixelScale,
          measures: facts.measures,
          video: null,
          relation: relations.get(facts.id) ?? null,
          weight: weights.get(facts.id) ?? null,
          boxGradient: null,
        }));
      };
      const relateTo = async (id: string) => {
        const reference = subs.find(({ facts }) => facts.id === id)?.facts;
        if (!reference) throw new UserError(`${asked}: could not be read`, "Choose another reference.");
        const found = new Map<string, GradedFrame["relation"]>();
        for (const { facts } of subs)
          found.set(facts.id, await pool.run("relate", { sub: facts, reference }, { priority: PRIORITY.measure }));
        return found;
      };
      // Weights need a relation, the proposal needs weights: first against the sharpest, then against the proposal.
      const sharpest = proposeReference(graded(new Map()))?.id ?? subs[0].facts.id;
      const first = asked === undefined ? graded(await relateTo(sharpest)) : [];
      const proposal = asked === undefined ? proposeReference(first) : null;
      const referenceId =
        asked === undefined ? (proposal?.id ?? sharpest) : subs.find(({ facts }) => facts.name === asked)?.facts.id;
      const frames = graded(await relateTo(referenceId ?? ""));
      const verdicts = applyRules(frames, new Map(), []);
      await writeFile(out, measuresCsv(frames, verdicts)).catch((error: Error) => {
        throw new UserError(`${out}: cannot be written (${error.message})`, "Check the folder.");
      });
      return {
        out,
        subs: frames.length,
        reference: frames.find(({ id }) => id === referenceId)?.name,
        reasons: proposal?.reasons ?? [],
        flagged: frames.flatMap((frame) => {
          const flags = flagsOf(frame);
          return flags.length > 0 ? [{ file: frame.name, flags }] : [];
        }),
        unmatched: frames.filter(({ relation }) => relation === null).map(({ name }) => name),
        unreadable: failures,
      };
    }),
  );
}
