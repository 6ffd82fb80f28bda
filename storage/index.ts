export type { Found, Problem, ReadRepository, WriteRepository } from "./contracts";
export { NOTHING_WRITTEN } from "./contracts";
export { LEFT_AS_IT_IS } from "./access";
export { isFull } from "./full";
export { ProjectGone, Repository } from "./repository";
export type { StackPicture, StackPictures, StorageEvents, StoredFile } from "./schema";
export { STACK_PICTURES, stackPictureId } from "./schema";
export type {
  Board,
  ChainRecord,
  CalibrationPlan,
  FactRecord,
  Ladder,
  Lane,
  LaneStep,
  Layout,
  Look,
  Shows,
  MasterRecord,
  ProjectRecord,
  StackCalibration,
  QueuedStack,
  StackInWork,
  StackRecord,
  SubRecord,
  Verdict,
  View,
} from "./records";
export {
  FRESH_LOOK,
  hasHalves,
  inOrder,
  LAYOUTS,
  PAIR_WAYS,
  RECORD_VERSION,
  SHOWN_PARTS,
  ZOOMS,
  projectRecord,
} from "./records";
