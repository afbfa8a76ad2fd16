declare module 'jstat' {
  const jstat: {
    studentt: { cdf(t: number, freedom: number): number };
    gammaln(x: number): number;
  };
  export default jstat;
}
