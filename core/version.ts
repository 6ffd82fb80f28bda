/** Who made a file; written into every export. The number is that of package.json (checked in chain.test.ts). */
export const CREATOR = "Dunkel 0.1.0";
