import { OPERATIONS } from "@/core/operations";
import { checkOperation } from "./cropChecks";

const operations = OPERATIONS.filter(({ group }) => group !== "noise");

describe("a crop is the same pixels as the whole picture, at every place and zoom", () => {
  describe.each(operations.map((operation) => [operation.words.short, operation] as const))("%s", (_, operation) => {
    checkOperation(operation);
  });
});
