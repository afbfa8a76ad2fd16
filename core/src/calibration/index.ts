export type { Capture } from './capture';
export { calibrated, piecesOf, rawOf, type Coefficients, type Curve, type Piece } from './conversion';
export * from './fit';
export * from './side-by-side';
export * from './tank';
export * from './raw';
export { RECIPES, recipesFor, type Recipe, type RecipeFigure, type RecipeStep } from './recipes';
export { bucketLitresPerMinute, pouredMillimetres, saltHumidity, sampleWaterPercent, type SaturatedSalt } from './references';
export * from './instrument';
