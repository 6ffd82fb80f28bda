import { newStep } from "@/core/chain";
import type { AnyOperation } from "@/core/operations";
import { OPERATIONS } from "@/core/operations";
import { check, checkOperation } from "./cropChecks";

const operations = OPERATIONS.filter(({ group }) => group === "noise");

describe("a crop is the same pixels as the whole picture, at every place and zoom", () => {
  describe.each(operations.map((operation) => [operation.words.short, operation] as const))("%s", (_, operation) => {
    checkOperation(operation);
  });

  test("Gaussian, at every zoom", async () => {
    const gaussian = operations.find(({ id }) => id === "noise.gaussian") as AnyOperation;
    await check([newStep(gaussian)], [1, 2, 3, 5]);
  });

  test("Mixture, in starlets and Haar wavelets", async () => {
    const [mixture] = operations;
    const step = newStep(mixture);
    await check([{ ...step, params: { ...step.params, waves: "both" } }], [1]);
  });
});
