import type { ListedStar } from "@/core/measure";
import type { Warp } from "@/core/register";
import { matchStars } from "@/core/register";
import type { Task } from "./task";

/** The warp from one picture's stars to another's, whatever their turn and scale; null where they make no common pattern. */
export const tie: Task<{ stars: ListedStar[]; to: ListedStar[] }, Warp | null> = {
  owned: ({ stars, to }) => {
    const found = matchStars(stars, to);
    return Promise.resolve(found.ok ? found.value.warp : null);
  },
};
