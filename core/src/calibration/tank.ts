/** Filled share of a lying cylinder at a level of `levelShare` of its diameter, 0 to 1. */
export function lyingCylinderShare(levelShare: number): number {
  const h = Math.max(0, Math.min(1, levelShare));
  if (h > 0.5) return 1 - lyingCylinderShare(1 - h);
  // Half the angle that the surface subtends, by the arc sine: the arc cosine loses half its digits when nearly empty.
  const angle = 2 * Math.asin(Math.sqrt(h));
  return (angle - (1 - 2 * h) * 2 * Math.sqrt(h * (1 - h))) / Math.PI;
}

/** Litres in a lying cylinder, measures in metres. */
export const lyingCylinderLitres = (diameter: number, length: number, level: number): number =>
  lyingCylinderShare(level / diameter) * Math.PI * (diameter / 2) ** 2 * length * 1000;

/** Litres in a standing cylinder, measures in metres. */
export const standingCylinderLitres = (diameter: number, level: number): number => ((Math.PI * diameter * diameter) / 4) * level * 1000;

/** Litres in a box, measures in metres. */
export const boxLitres = (a: number, b: number, level: number): number => a * b * level * 1000;

/** Litres in a standing cylinder on a cone, level from the cone's tip, measures in metres. */
export function coneBottomLitres(diameter: number, coneHeight: number, level: number): number {
  const radius = diameter / 2;
  const inCone = Math.min(level, coneHeight);
  const cone = (Math.PI / 3) * ((radius * inCone) / coneHeight) ** 2 * inCone;
  return (cone + Math.PI * radius * radius * Math.max(0, level - coneHeight)) * 1000;
}

/** Litres in a spherical cap, measures in metres. */
export const sphericalCapLitres = (radius: number, level: number): number => ((Math.PI * level * level * (3 * radius - level)) / 3) * 1000;

/** Filled share of a sphere at a level of `levelShare` of its diameter. */
export const sphereShare = (levelShare: number): number => levelShare * levelShare * (3 - 2 * levelShare);

/** Litres from a table of [level m, litres], both rising: linear between its rows, clamped outside. Throws `RangeError` for an empty table. */
export function strappingLitres(table: readonly (readonly [level: number, litres: number])[], level: number): number {
  const [first] = table;
  const last = table.at(-1);
  if (!first || !last) throw new RangeError('the table has no rows');
  if (level <= first[0]) return first[1];
  if (level >= last[0]) return last[1];
  const above = table.findIndex(([at]) => at >= level);
  const [l1, v1] = table[above] ?? last;
  const [l0, v0] = table[above - 1] ?? first;
  return v0 + ((v1 - v0) * (level - l0)) / (l1 - l0);
}

/** Level of a liquid over a vented pressure sensor, m: p/(ρg), g = 9.80665. */
export const hydrostaticLevelMetres = (kilopascals: number, densityKilogramsPerCubicMetre: number): number =>
  (kilopascals * 1000) / (densityKilogramsPerCubicMetre * 9.80665);

/** Level under a sensor in the lid, m. */
export const levelBelowSensorMetres = (sensorHeight: number, distance: number): number => sensorHeight - distance;
