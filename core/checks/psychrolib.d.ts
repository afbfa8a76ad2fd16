declare module 'psychrolib' {
  const psychrolib: {
    SI: unknown;
    SetUnitSystem(system: unknown): void;
    GetSatVapPres(celsius: number): number;
    GetTDewPointFromRelHum(celsius: number, share: number): number;
    GetTWetBulbFromRelHum(celsius: number, share: number, pascals: number): number;
    GetStandardAtmPressure(metres: number): number;
    GetSeaLevelPressure(pascals: number, metres: number, celsius: number): number;
  };
  export default psychrolib;
}
