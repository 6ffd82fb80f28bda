export type { Problem, StackPicture, StorageEvents } from "./database";
export { Repository, STACK_PICTURES, stackPictureId } from "./database";
export type { Board, Ladder, Lane, LaneStep, ProjectRecord, StackRecord, SubRecord, View } from "./records";
export { RECORD_VERSION, ZOOMS } from "./records";
