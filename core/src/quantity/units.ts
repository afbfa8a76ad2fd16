/** Degrees Fahrenheit of degrees Celsius; a difference has no 32. */
export const celsiusToFahrenheit = (celsius: number): number => (celsius * 9) / 5 + 32;
/** Degrees Celsius of degrees Fahrenheit. */
export const fahrenheitToCelsius = (fahrenheit: number): number => ((fahrenheit - 32) * 5) / 9;

/**
 * Factors to the unit on the right. Exact by definition unless noted. Sources: NIST SP 811; international yard and pound; 1 inHg and
 * 1 mmHg are the conventional 33.86389 hPa and 133.322387415 Pa.
 */
export const FACTORS = {
  inHgToHectopascals: 33.86389,
  mmHgToHectopascals: 1.33322387415,
  usGallonsToLitres: 3.785411784,
  imperialGallonsToLitres: 4.54609,
  psiToKilopascals: 6.894757293168,
  feetToMetres: 0.3048,
  inchesToMillimetres: 25.4,
  milesPerHourToMetresPerSecond: 0.44704,
  knotsToMetresPerSecond: 1852 / 3600,
  footCandlesToLux: 10.76391,
  megajoulesPerDayToWatts: 1e6 / 86_400,
} as const;
