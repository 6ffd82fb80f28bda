export type { Problem, StackPicture, StackPictures, StorageEvents, StoredFile } from "./database";
export { LEFT_AS_IT_IS, lookingOnly, ProjectGone, Repository, STACK_PICTURES, stackPictureId } from "./database";
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
  LAYOUTS,
  PAIR_WAYS,
  RECORD_VERSION,
  SHOWN_PARTS,
  ZOOMS,
  projectRecord,
} from "./records";
