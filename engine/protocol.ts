import * as z from "zod";

/**
 * What the pool says to a worker. `stop` is a shared flag that becomes 1 when the job shall stop;
 * null without shared memory. `keep` hands over a fact, `forget` takes it back.
 */
export const request = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("run"), id: z.number(), task: z.string(), payload: z.unknown(), stop: z.unknown() }),
  z.object({ kind: z.literal("stop"), id: z.number() }),
  z.object({ kind: z.literal("keep"), id: z.string(), value: z.array(z.unknown()) }),
  z.object({ kind: z.literal("forget"), id: z.string() }),
]);
export type Request = z.infer<typeof request>;

/** An error that crosses from a worker: never more than plain text, so that its kind survives. */
export const failure = z.object({
  name: z.string(),
  message: z.string(),
  /** What a person can do about it. */
  advice: z.string(),
});
export type Failure = z.infer<typeof failure>;

export const reply = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("ready"), kernels: z.string() }),
  z.object({ kind: z.literal("progress"), id: z.number(), fraction: z.number() }),
  z.object({ kind: z.literal("done"), id: z.number(), result: z.unknown(), ms: z.number() }),
  z.object({ kind: z.literal("failed"), id: z.number(), failure }),
]);
export type Reply = z.infer<typeof reply>;

/** A job's error on this side of the border. */
export class JobError extends Error {
  readonly advice: string;

  constructor(from: Failure) {
    super(from.message);
    this.name = from.name;
    this.advice = from.advice;
  }
}

/** Reads an error as a failure: its own advice where it has one; what a schema found wrong in words, with its place. */
export function failureOf(error: unknown): Failure {
  if (error instanceof z.ZodError) {
    const [issue] = error.issues;
    const place = issue.path.join(".");
    const advice = "A value lies outside its range; change what it comes from, or leave it out.";
    return { name: "RangeError", message: `${place ? `${place}: ` : ""}${issue.message}`, advice };
  }
  if (error instanceof Error) {
    const advice = "advice" in error && typeof error.advice === "string" ? error.advice : "";
    return { name: error.name, message: error.message, advice };
  }
  return { name: "Error", message: String(error), advice: "" };
}
