/** Pixels of surroundings that a resampled pixel looks at. */
export const RESAMPLING_REACH = 5;
