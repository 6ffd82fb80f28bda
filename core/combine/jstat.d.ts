declare module "jstat" {
  const jstat: { studentt: { inv(probability: number, freedom: number): number } };
  // eslint-disable-next-line no-restricted-syntax -- that is how the package exports
  export default jstat;
}
