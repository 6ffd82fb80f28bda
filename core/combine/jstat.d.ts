declare module "jstat" {
  export const jStat: { studentt: { inv(probability: number, freedom: number): number } };
}
