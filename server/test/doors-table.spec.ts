import type { Door } from '@dewpost/contract';
import { openHouse, type Answer, type House, type Visitor } from './house';

/** Every route there is, by who may come in. A route that is not listed here is a failure: decide, then list it. */
const TABLE: Readonly<Record<Door, string>> = {
  open: `
    GET /api/v1/door
    GET /api/v1/openapi.json
    POST /api/v1/session
    POST /api/v1/shared/session
    GET /healthz
    GET /metrics
    GET /readyz`,
  share: `
    GET /api/v1/shared/live
    GET /api/v1/shared/readings/:id
    GET /api/v1/shared/snapshot`,
  account: `
    DELETE /api/v1/session
    DELETE /api/v1/nodes/:id/photos/:photo
    GET /api/v1/adopted/:id
    GET /api/v1/alerts
    GET /api/v1/alerts/counts
    GET /api/v1/build-sheets
    GET /api/v1/build-sheets/:slug/versions
    GET /api/v1/calibrations
    GET /api/v1/calibrations.csv
    GET /api/v1/catalogue
    GET /api/v1/computed
    GET /api/v1/exports/readings.cbor
    GET /api/v1/exports/readings.csv
    GET /api/v1/exports/readings.jsonl
    GET /api/v1/exports/readings.senml
    GET /api/v1/deliveries
    GET /api/v1/followers
    GET /api/v1/leaf-burst
    GET /api/v1/live
    GET /api/v1/notices
    GET /api/v1/nodes
    GET /api/v1/nodes/:id/assembly
    GET /api/v1/nodes/:id/configuration
    GET /api/v1/nodes/:id/fit
    GET /api/v1/nodes/:id/facts
    GET /api/v1/nodes/:id/log
    GET /api/v1/nodes/:id/photos/:photo
    GET /api/v1/nodes/:id/report
    GET /api/v1/imports
    GET /api/v1/imports/:id
    GET /api/v1/points/:node/:point/calibrations
    GET /api/v1/points/:node/:point/readings
    GET /api/v1/points/:node/:point/habit
    GET /api/v1/points/:node/:point/record
    GET /api/v1/quality
    POST /api/v1/points/:node/:point/notes
    DELETE /api/v1/notes/:id
    GET /api/v1/provision/batches
    GET /api/v1/provision/rollouts
    GET /api/v1/provision/runs
    GET /api/v1/relays
    GET /api/v1/rooms
    GET /api/v1/session
    GET /api/v1/shares
    GET /api/v1/site-plan
    GET /api/v1/site-plan/pictures/:id
    GET /api/v1/snapshot
    GET /api/v1/sources/way
    GET /api/v1/thresholds.csv
    GET /api/v1/routes
    GET /api/v1/thresholds
    GET /api/v1/thresholds/:id/versions
    GET /api/v1/trip-tests
    GET /api/v1/drills
    GET /api/v1/interlocks
    DELETE /api/v1/drills/:id
    GET /api/v1/references
    GET /api/v1/calibrations/records
    DELETE /api/v1/trip-tests/:id
    DELETE /api/v1/alerts/:id/shelve
    GET /api/v1/alerts/:id/life
    POST /api/v1/alerts/:id/life
    POST /api/v1/alerts/:id/acknowledge
    POST /api/v1/alerts/:id/reset
    POST /api/v1/relays/safe
    POST /api/v1/alerts/:id/shelve
    POST /api/v1/alerts/acknowledge
    POST /api/v1/told/:id
    POST /api/v1/nodes/:id/blink
    POST /api/v1/nodes/:id/fit/checks
    POST /api/v1/nodes/:id/fit/contact
    POST /api/v1/nodes/:id/fit/operate
    POST /api/v1/nodes/:id/fit/signal
    POST /api/v1/nodes/:id/photos
    POST /api/v1/provision/labels
    DELETE /api/v1/relays/:id/lock
    POST /api/v1/relays/:id/lock
    POST /api/v1/relays/:id/switch
    PUT /api/v1/accounts/:name/password
    PUT /api/v1/nodes/:id/assembly`,
  maker: `
    DELETE /api/v1/accounts/:name
    DELETE /api/v1/catalogue/:id
    DELETE /api/v1/computed/:id
    DELETE /api/v1/build-sheets/:slug
    DELETE /api/v1/forwards/:id
    DELETE /api/v1/imports/:id
    DELETE /api/v1/nodes/:id/trials
    DELETE /api/v1/points/:node/:point/calibrations/:version
    DELETE /api/v1/points/:node/:point/hold
    DELETE /api/v1/readers/:id
    DELETE /api/v1/shares/:id
    DELETE /api/v1/thresholds/:id
    DELETE /api/v1/trusted-keys/:name
    DELETE /api/v1/ways/:id
    GET /api/v1/accounts
    GET /api/v1/addresses
    GET /api/v1/firmware
    GET /api/v1/firmware/:id/image
    GET /api/v1/forwards
    GET /api/v1/kept
    GET /api/v1/networks
    GET /api/v1/nodes/:id/configuration/:as
    GET /api/v1/provision/labels
    GET /api/v1/reaching
    GET /api/v1/readers
    GET /api/v1/trusted-keys
    GET /api/v1/ways
    GET /api/v1/push-key
    POST /api/v1/followers
    DELETE /api/v1/followers/:id
    PATCH /api/v1/nodes/:id
    PATCH /api/v1/nodes/:id/points/:point
    PUT /api/v1/nodes/:id/points/:point/judging
    POST /api/v1/accounts
    POST /api/v1/thresholds/:id/trip-test
    POST /api/v1/drills/:kind
    POST /api/v1/interlocks
    DELETE /api/v1/interlocks/:id
    POST /api/v1/references
    POST /api/v1/points/:node/:point/calibrations/:version/copy
    POST /api/v1/points/:node/:point/calibrations/:version/confirm
    PUT /api/v1/references/:id
    DELETE /api/v1/references/:id
    PUT /api/v1/relays/:id/timetable
    POST /api/v1/adopted
    POST /api/v1/build-sheets
    POST /api/v1/catalogue
    POST /api/v1/computed
    POST /api/v1/forwards
    POST /api/v1/forwards/:id/pause
    POST /api/v1/forwards/:id/test
    POST /api/v1/imports
    POST /api/v1/imports/:id/keep
    POST /api/v1/nodes
    POST /api/v1/nodes/:id/key
    POST /api/v1/nodes/:id/keys/revoke
    POST /api/v1/nodes/:id/replace
    POST /api/v1/nodes/:id/retire
    POST /api/v1/nodes/batch
    POST /api/v1/reaching/check
    POST /api/v1/readers
    POST /api/v1/nodes/keys/rotate
    POST /api/v1/calibrations.csv
    POST /api/v1/points/:node/:point/calibrations
    POST /api/v1/points/:node/:point/hold
    POST /api/v1/provision/batches
    POST /api/v1/provision/batches/:id/hold
    POST /api/v1/provision/elsewhere
    POST /api/v1/provision/preflight
    POST /api/v1/provision/rollouts
    POST /api/v1/provision/runs
    POST /api/v1/provision/runs/:id/steps
    POST /api/v1/shares
    POST /api/v1/site-plan/pictures
    POST /api/v1/sources
    POST /api/v1/sources/:id/points
    POST /api/v1/thresholds
    POST /api/v1/thresholds/preview
    POST /api/v1/trusted-keys
    POST /api/v1/ways
    POST /api/v1/ways/:id/test
    PUT /api/v1/addresses
    PUT /api/v1/adopted/:id/filters
    PUT /api/v1/adopted/:id/map
    PUT /api/v1/computed/:id
    PUT /api/v1/forwards/:id
    PUT /api/v1/firmware
    PUT /api/v1/imports/:id
    PUT /api/v1/kept
    PUT /api/v1/leaf-burst
    PUT /api/v1/networks
    PUT /api/v1/nodes/:id/gateway
    PUT /api/v1/nodes/interval
    PUT /api/v1/nodes/live
    PUT /api/v1/provision/batches/:id
    PUT /api/v1/provision/rollouts/:id
    PUT /api/v1/routes
    PUT /api/v1/site-plan
    PUT /api/v1/thresholds.csv
    PUT /api/v1/relays/:id/limits
    PUT /api/v1/thresholds/:id`,
};
/** The node protocol has doors of its own: a node's key, and nothing else. */
const NODE = `
    GET /image
    GET /set
    POST /done
    POST /fit
    POST /have
    POST /hello
    POST /log
    POST /up
    PUT /up`;
/** The page itself: open to anybody who asks under a name of ours. */
const PAGE = 'GET /{*path}';

const linesOf = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean);
const ROUTES = (Object.keys(TABLE) as Door[]).flatMap((door) => linesOf(TABLE[door]).map((route) => ({ door, route })));

let house: House;
let onlooker: Visitor;
let nodeKey = '';
beforeAll(async () => {
  house = await openHouse();
  nodeKey = (await house.node('door-1', 'Loft')).key;
  const { body } = await house.maker.post('/api/v1/shares', { dashboard: 'loft', label: 'for the baker', days: 7 });
  onlooker = house.visitor();
  await onlooker.post('/api/v1/shared/session', { token: body.token });
});
afterAll(() => house.close());

/** Asks at a route with nothing of sense in it: whoever may not come in is refused before anybody looks. */
function knock(who: Visitor, route: string, headers: Record<string, string> = {}): Promise<Answer> {
  const [method = '', path = ''] = route.split(' ');
  const place = path.replace(/:\w+/g, '1');
  return who.call(method, place, method === 'GET' || method === 'DELETE' ? undefined : {}, headers);
}

it('every route of the application is in the table, and the table names none that is not there', () => {
  const listed = [...ROUTES.map(({ route }) => route), ...linesOf(NODE), PAGE].sort();
  const there = house.server.routes.filter((route) => !route.startsWith('HEAD '));
  expect(there).toEqual(listed);
});

it.each(ROUTES.filter(({ door }) => door !== 'open'))(
  '$route: nobody, an onlooker and a node are refused as the table says',
  async ({ door, route }) => {
    expect((await knock(house.visitor(), route)).status).toBe(401);
    expect((await knock(house.visitor(), route, { authorization: `Bearer ${nodeKey}` })).status).toBe(401);
    if (door !== 'share') expect((await knock(onlooker, route)).status).toBe(401);
  },
);

it.each(ROUTES.filter(({ door }) => door === 'maker'))('$route: a keeper is refused', async ({ route }) => {
  const { status, body } = await knock(house.keeper, route);
  expect([status, body.title]).toEqual([403, 'For makers']);
});

it.each(ROUTES.filter(({ door }) => door === 'share'))('$route: an account is no link', async ({ route }) => {
  expect((await knock(house.maker, route)).status).toBe(401);
});

it.each(linesOf(NODE))('/node/v1: %s asks for a key', async (route) => {
  const [method = '', path = ''] = route.split(' ');
  for (const who of [house.visitor(), house.maker, onlooker]) expect((await knock(who, `${method} /node/v1${path}`)).status).toBe(401);
});
