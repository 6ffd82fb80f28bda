/** The file identifier that the format prescribes (14 ASCII characters). */
export const SER_ID = String.fromCharCode(76, 85, 67, 65, 77, 45, 82, 69, 67, 79, 82, 68, 69, 82);
export const SER_HEADER_BYTES = 178;
/** Ticks of 100 ns from the start of year 1 to that of 1970 (719162 days; derivation from the Gregorian calendar). */
export const SER_TICKS_TO_1970 = 719162n * 86_400n * 10_000_000n;
