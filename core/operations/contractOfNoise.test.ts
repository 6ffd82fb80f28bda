import { checkContract } from "../testing/operationContract";
import { OPERATIONS } from "./index";

const operations = OPERATIONS.filter(({ group }) => group === "noise");

describe.each(operations.map((operation) => [operation.id, operation] as const))("%s", (_, operation) => {
  checkContract(operation);
});
