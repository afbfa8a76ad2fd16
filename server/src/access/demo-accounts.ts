/** The demo's accounts: offered with one click while the demo runs on loopback, refused everywhere else. */
export const DEMO_ACCOUNTS = [
  { name: 'maker', role: 'maker', password: 'wrenfold-demo' },
  { name: 'duty keeper', role: 'keeper', password: 'wrenfold-demo' },
] as const;
