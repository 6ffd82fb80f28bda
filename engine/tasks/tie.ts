import type { ListedStar } from "@/core/measure";
import type { Transform } from "@/core/register";
import { matchStars } from "@/core/register";
import type { Task } from "./task";

/** The transform from one picture's stars to another's, whatever their turn and scale; null where they make no common pattern. */
export const tie: Task<{ stars: ListedStar[]; to: ListedStar[] }, Transform | null> = ({ stars, to }) => {
  const found = matchStars(stars, to);
  return Promise.resolve(found.ok ? found.value.transform : null);
};
