declare module 'psychrolib' {
  const psychrolib: {
    SI: unknown;
    SetUnitSystem(system: unknown): void;
    GetSatVapPres(celsius: number): number;
    GetTDewPointFromRelHum(celsius: number, share: number): number;
  };
  export default psychrolib;
}
