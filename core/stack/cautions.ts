import type { SubFacts } from "./plan";

/** What a plan has taken and left out, as far as it is looked at here. */
interface Taken {
  used: readonly { id: string }[];
  leftOut: readonly { id: string }[];
}

/** Samples of 8 bits whose sky lies above this share of full scale were made for a screen. */
const SCREEN_SKY = 0.03;

/** What a person should know of a stack before believing it, in sentences without a full stop; empty for nothing. */
export function cautionsOf({ used, leftOut }: Taken, facts: readonly SubFacts[]): string[] {
  const byId = new Map(facts.map((sub) => [sub.id, sub]));
  const [taken, left] = [used, leftOut].map((subs) => subs.flatMap(({ id }) => byId.get(id) ?? []));
  const cautions: string[] = [];
  if (taken.length === 1 && facts.length > 1)
    cautions.push(
      `Only ${taken[0].name} went in, of ${facts.length} subs: nothing can be told to be an outlier, and there are no halves`,
    );
  const own = filterNames(taken);
  const others = filterNames(left).filter((name) => !own.includes(name));
  if (own.length > 0 && others.length > 0) {
    const apart = left.filter(({ metadata }) => others.includes(metadata?.filter?.trim() ?? ""));
    cautions.push(
      `${apart.length === 1 ? "One sub" : `${apart.length} subs`} of ${others.join(", ")} stay out: the stack is of ${own.join(", ")}`,
    );
  }
  const stretched = taken.filter(
    ({ unit, measures }) => unit?.fullScale === 255 && measures.background[0] > SCREEN_SKY,
  );
  if (stretched.length > 0)
    cautions.push(
      `${stretched.length === 1 ? stretched[0].name : `${stretched.length} subs`} of 8 bits with a bright sky: pictures made for a screen are stretched, and the stack of them is no linear light`,
    );
  return cautions;
}

/** The filters that headers name, each once. */
const filterNames = (subs: readonly SubFacts[]): string[] => [
  ...new Set(subs.flatMap(({ metadata }) => metadata?.filter?.trim() || [])),
];
