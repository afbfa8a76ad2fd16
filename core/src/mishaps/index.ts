/** What can go wrong with the next write at a port, in words. */
export const PORT_MISHAPS = {
  none: 'nothing',
  'no-answer': 'the board does not answer',
  fresh: 'fresh from the shop: only its chip’s boot loader',
  'fresh-no-boot': 'fresh, and not in its boot loader',
  'fresh-silent': 'fresh, silent after the greeting',
  'fresh-stuck': 'fresh, stuck while erasing',
  'fresh-checksum': 'fresh, one packet is spoiled',
  'fresh-small': 'fresh, flash smaller than the image',
  'fresh-digest': 'fresh, a bit flips: digest differs',
  'fresh-unplugged': 'fresh, the cable drops in mid-write',
  'fresh-other': 'fresh, another family of chip',
  'wrong-board': 'another kind of board',
  'stuck-erasing': 'stuck while erasing',
  'lost-frames': 'frames get lost',
  'out-of-order': 'frames come out of order',
  'bit-flips': 'answers are spoiled',
  'port-closed': 'the port closes in mid-write',
  digest: 'a bit flips: digest differs',
  'full-store': 'its store is full',
  'brown-out': 'restarts over and over',
  passphrase: 'network refuses the passphrase',
  name: 'network not heard',
  'stray-space': 'name has a stray space',
  'five-gigahertz': '5 GHz only',
  'hidden-name': 'hidden name',
  'weak-signal': 'weak signal',
  'no-address': 'no address',
  'address-taken': 'address taken',
  'clock-not-set': 'clock not set',
  'broker-refused': 'broker refuses the key',
  'broker-unreachable': 'broker out of reach',
  'name-clash': 'another of its name',
} as const;
export type PortMishap = keyof typeof PORT_MISHAPS;
export const PORT_MISHAP_KINDS = Object.keys(PORT_MISHAPS) as [PortMishap, ...PortMishap[]];

/** What can go wrong with images over the air, for the whole stand-in fleet, in words. */
export const AIR_MISHAPS = {
  none: 'nothing',
  'never-reports': 'boots and never reports',
  'cut-short': 'the image is cut short',
  'bit-flip': 'a bit flips on the way',
  'power-lost-erasing': 'power lost while erasing',
  'power-lost-fetching': 'power lost while fetching',
  'power-lost-proved': 'power lost before the start',
  'power-lost-starting': 'power lost at the start',
} as const;
export type AirMishap = keyof typeof AIR_MISHAPS;
export const AIR_MISHAP_KINDS = Object.keys(AIR_MISHAPS) as [AirMishap, ...AirMishap[]];

/** What can go wrong with a running stand-in node, in words; each until it is put right, but for the wild reading, which is one. */
export const NODE_MISHAPS = {
  silent: 'silent',
  stuck: 'stuck sensor',
  failed: 'failed sensor',
  welded: 'contacts welded',
  onBackup: 'mains gone, on its backup',
  wild: 'one wild reading',
} as const;
export type NodeMishap = keyof typeof NODE_MISHAPS;
export const NODE_MISHAP_KINDS = Object.keys(NODE_MISHAPS) as [NodeMishap, ...NodeMishap[]];
export type NodeMishaps = Record<NodeMishap, boolean>;
export const noNodeMishaps = (): NodeMishaps => ({
  silent: false,
  stuck: false,
  failed: false,
  welded: false,
  onBackup: false,
  wild: false,
});
