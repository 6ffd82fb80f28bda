declare module "jstat" {
  const jstat: { studentt: { inv(probability: number, freedom: number): number } };
  export default jstat;
}
