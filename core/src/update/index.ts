export * from './offer';
export * from './rollout';
export * from './slots';
