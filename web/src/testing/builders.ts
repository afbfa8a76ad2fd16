import {
  nodeSchema,
  pointSchema,
  runSchema,
  snapshotSchema,
  thresholdSchema,
  type Calibration,
  type Node,
  type Point,
  type Run,
  type Snapshot,
  type Threshold,
  relaySchema,
  type Relay,
} from '@dewpost/contract';

/** Noon of a made-up day at the mill. */
export const NOON = Date.UTC(2026, 10, 24, 12, 0);

export const aNode = (change: Partial<Node> = {}): Node =>
  nodeSchema.parse({
    id: 'loft-climate',
    // Called by its id, as a node is until somebody names it.
    name: change.id ?? 'loft-climate',
    kind: 'node',
    room: 'Grain loft',
    sheet: 'Climate post',
    state: 'proved',
    connected: true,
    silent: false,
    heardAt: NOON - 5000,
    firmware: 'dewnode 1.0.0',
    batteryVolts: null,
    rssiDbm: -61,
    hardwareId: 'dw-00000001',
    keySealed: false,
    revision: 1,
    haveRevision: 1,
    haveAt: NOON - 60_000,
    offered: null,
    update: null,
    keyRotates: false,
    reportSeconds: 30,
    gateway: null,
    fittedAt: NOON - 3_600_000,
    unproved: [],
    liveSince: null,
    ...change,
  });

export const aPoint = (change: Partial<Point> = {}): Point =>
  pointSchema.parse({
    id: 1,
    node: 'loft-climate',
    name: 'humidity',
    label: 'Humidity',
    kind: 'measured',
    unit: '%',
    min: 0,
    max: 100,
    decimals: 1,
    output: null,
    raw: null,
    derived: null,
    states: [],
    uncalibrated: false,
    heldUntil: null,
    calibrationDue: null,
    inherited: false,
    everySeconds: null,
    judging: { physicalMin: -5, physicalMax: 105, spikeStep: 25, spikeWindow: null, stuckAfterSeconds: 43_200, restsAt: 100 },
    judgingOfSheet: null,
    calibratesTo: { unit: change.unit ?? '%', min: change.min ?? 0, max: change.max ?? 100, decimals: change.decimals ?? 1 },
    ...change,
  });

export const aThreshold = (change: Partial<Threshold> = {}): Threshold =>
  thresholdSchema.parse({
    id: 1,
    point: 1,
    version: 1,
    side: 'high',
    setpoint: 75,
    deadband: 5,
    clearLevel: 70,
    onDelaySeconds: 0,
    offDelaySeconds: 120,
    severity: 'warning',
    confirm: 'readings',
    consequences: ['alert'],
    act: 'on',
    words: null,
    route: null,
    output: null,
    phase: 'normal',
    ...change,
  });

/** An output that was read back off, and that nobody asks for. */
export const aRelay = (change: Partial<Relay> = {}): Relay =>
  relaySchema.parse({
    ...{ point: 2, state: false, readAt: NOON, since: NOON - 60_000, result: null, reason: null, heldUntil: null },
    ...{ askedBy: null, askedFor: null, endsAt: null, offAt: null, leaseUntil: null, renewing: false },
    ...change,
  });

export const aCalibration = (change: Partial<Calibration> = {}): Calibration => ({
  version: 1,
  method: 'offset',
  captures: [{ reference: 25.4, raw: 25 }],
  recipe: null,
  law: null,
  coefficients: { gain: 1, offset: 0.4 },
  uncertainty: 0.1,
  instrument: null,
  inherited: null,
  from: NOON,
  dueAt: null,
  note: '',
  madeBy: 'millwright',
  madeAt: NOON,
  withdrawnAt: null,
  withdrawnBy: null,
  settling: null,
  ...change,
});

export const aRun = (change: Partial<Run> = {}): Run =>
  runSchema.parse({
    id: 1,
    node: 'loft-climate',
    by: 'millwright',
    startedAt: NOON - 600_000,
    endedAt: NOON - 500_000,
    result: 'proved',
    firmware: 'dewnode-1.0.0-wifi-dual-38',
    imageSha256: 'ab'.repeat(32),
    configurationSha256: 'cd'.repeat(32),
    hardwareId: 'dw-00000001',
    way: 'serial',
    first: null,
    steps: [],
    ...change,
  });

export const aSnapshot = (change: Partial<Snapshot> = {}): Snapshot =>
  snapshotSchema.parse({
    live: '1-1',
    me: { name: 'millwright', role: 'maker' },
    site: { name: 'Wrenfold Mill', timezone: 'UTC' },
    rooms: [{ slug: 'grain-loft', name: 'Grain loft' }],
    nodes: [aNode()],
    points: [],
    latest: [],
    thresholds: [],
    alerts: [],
    relays: [],
    deliveries: [],
    dashboards: [],
    status: {
      broker: 'ok',
      database: 'ok',
      readingsPerMinute: 0,
      nodesHeard: 1,
      nodesWritten: 1,
      standins: 'off',
      untold: 0,
      clockSet: null,
      nodePages: null,
      time: NOON,
    },
    ...change,
  });
