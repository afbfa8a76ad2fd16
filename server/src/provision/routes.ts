import { files, provision, type TrustedKey } from '@dewpost/contract';
import { stepsOfDraft, type Catalogue } from '@dewpost/core/circuit';
import {
  canonicalJson,
  configurationDifferences,
  configurationDigest,
  configurationHeader,
  configurationRows,
  manifestSchema,
  type Manifest,
} from '@dewpost/core/firmware';
import { setupNetworkOf } from '@dewpost/core/joining';
import type { NodeConfiguration } from '@dewpost/core/wire';
import express, { Router } from 'express';
import type { Vault } from '../vault/vault';
import type { Config } from '../config/config';
import type { Database } from '../database/connect';
import { bind, bindRaw } from '../http/bind';
import { notFound, ProblemError } from '../problem/problem';
import { writeNodeLog } from '../model/node-log';
import type { Nodes } from '../nodes/nodes';
import { nodeNamed } from '../model/lookup';
import { nodeView } from '../model/views';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { assemblyOf } from '../model/assembly';
import { configurationOf, lastWritten, MASK, withoutSecrets } from './configuration';
import { beginBatch, holdBatch, listBatches, setBatch } from './batches';
import { preflightOf } from './preflight';
import { addFirmware, firmwareViews, imageFor, imagesFolder } from './firmware';
import type { Fits } from './fits';
import type { Rollouts } from './rollouts';
import type { Store } from '../store/change';
import type { Runs } from './runs';
import { readPhoto } from './fit-rows';
import { retireBoard } from './retire-board';
import { type Engine } from '../engine/engine';
import { type Hub } from '../events/hub';

const cell = (text: string): string => `"${text.replace(/"/g, '""')}"`;
/** A configuration with its secrets, for other tool chains. */
const FORMS: Readonly<
  Record<string, { type: string; name: (node: string) => string; text: (configuration: NodeConfiguration, origin: string) => string }>
> = {
  json: { type: 'application/json', name: (node) => `${node}.json`, text: (configuration) => `${canonicalJson(configuration)}\n` },
  header: { type: 'text/x-c', name: () => 'node_config.h', text: configurationHeader },
  csv: {
    type: 'text/csv',
    name: (node) => `${node}.csv`,
    text: (configuration) =>
      [['key', 'value'], ...configurationRows(configuration)].map((row) => `${row.map(cell).join(',')}\r\n`).join(''),
  },
};

/** The manifest in a header; throws 422 with path and trouble. */
function readManifest(header: string | string[] | undefined): Manifest {
  let json: unknown;
  try {
    json = JSON.parse(Buffer.from(typeof header === 'string' ? header : '', 'base64').toString('utf8'));
  } catch {
    throw new ProblemError(422, 'No manifest', 'X-Image-Manifest holds no JSON in Base64: send the manifest of the image with it.');
  }
  const parsed = manifestSchema.safeParse(json);
  if (parsed.success) return parsed.data;
  const errors = parsed.error.issues.map((issue) => ({ path: `manifest.${issue.path.join('.')}`, message: issue.message }));
  throw new ProblemError(422, 'Manifest refused', errors.map((error) => `${error.path}: ${error.message}`).join('; '), errors);
}

/** Firmware images, configurations and the ledger of runs. */
export function provisionRoutes(parts: {
  store: Store;
  database: Database;
  registry: Registry;
  runs: Runs;
  rollouts: Rollouts;
  fits: Fits;
  nodes: Nodes;
  engine: Engine;
  hub: Hub;
  vault: Vault;
  config: Config;
  profiles: { catalogue(): Promise<Catalogue> };
  mqttPort: () => number;
  httpPort: () => number;
}): Router {
  const { store, database, registry, runs, rollouts, fits, nodes, vault, config, profiles } = parts;
  const router = Router();
  const findAny = (id: string): NodeEntry => nodeNamed(registry, id);
  /** A node with a board: a source has nothing to write, to configure or to hang up. */
  const find = (id: string): NodeEntry => {
    const node = findAny(id);
    if (node.kind === 'computed')
      throw new ProblemError(422, 'Computed', `${id} stands for points that are computed here: it has no board.`);
    if (node.kind === 'source') throw new ProblemError(422, 'A source', `${id} is a source: it has no board. See Provision, Sources.`);
    if (node.kind === 'adopted')
      throw new ProblemError(
        422,
        'An adopted node',
        `${id} is adopted: its firmware stays as it is, and nothing is written to it. See Provision, Adopted.`,
      );
    return node;
  };
  const running = (): Map<string, string> =>
    new Map([...registry.nodes.values()].flatMap((node) => (node.hello?.firmwareSha256 ? [[node.name, node.hello.firmwareSha256]] : [])));
  bind(router, provision.firmware, () => firmwareViews(database, running()));
  // The image streams to disk as it comes; its manifest travels in a header, since it must be judged before the first byte.
  bindRaw(router, files.addFirmware, async ({ me, request, response }) => {
    if (request.headers['content-type'] !== 'application/octet-stream')
      throw new ProblemError(
        415,
        'Not an image',
        'Send the image as application/octet-stream, its manifest in X-Image-Manifest as Base64.',
      );
    const boards = new Map([...(await profiles.catalogue()).boards].map(([id, { flashBytes }]) => [id, flashBytes]));
    const row = await addFirmware(
      database,
      config.dataDirectory,
      readManifest(request.headers['x-image-manifest']),
      boards,
      request,
      me?.name ?? '',
    );
    response.status(201).json({ id: row.id });
  });
  const keys = async (): Promise<TrustedKey[]> =>
    ((await database('trusted_key').orderBy('name')) as { name: string; public_key: string; added_by: string; added_at: Date }[]).map(
      (row) => ({
        name: row.name,
        publicKey: row.public_key,
        addedBy: row.added_by,
        addedAt: row.added_at.getTime(),
      }),
    );
  bind(router, provision.trustedKeys, keys);
  bind(router, provision.addTrustedKey, async ({ body, me }) => {
    const row = { public_key: body.publicKey, name: body.name, added_by: me?.name ?? '' };
    const { rowCount } = await database.raw<{ rowCount: number }>('? on conflict do nothing', [database('trusted_key').insert(row)]);
    const known = await keys();
    if (rowCount === 0 && !known.some((key) => key.name === body.name && key.publicKey === body.publicKey)) {
      const same = known.find((key) => key.publicKey === body.publicKey);
      throw same
        ? new ProblemError(
            409,
            'Trusted already',
            `This key is trusted already, as ${same.name}: take that away first to give it another name.`,
          )
        : new ProblemError(
            409,
            'Name taken',
            `Another key is trusted as ${body.name}: give this one a name of its own, or take that one away first.`,
          );
    }
    return known;
  });
  bind(router, provision.removeTrustedKey, async ({ params }) => {
    if ((await database('trusted_key').where({ name: params.name }).delete()) === 0) throw notFound(`trusted key named ${params.name}`);
    return keys();
  });
  bind(router, provision.configuration, async ({ params, me }) => {
    const node = find(params.id);
    const key = node.keySealed === null ? MASK.padEnd(16, '•') : vault.open(node.keySealed);
    const next = withoutSecrets(await configurationOf(parts, node, key));
    const before = await lastWritten(database, node);
    return {
      revision: next.revision,
      digest: configurationDigest(next),
      configuration: next,
      held: before !== null,
      differences: configurationDifferences(before, next),
      downloadable: node.keySealed !== null && me?.role === 'maker',
    };
  });
  bindRaw(router, files.configurationFile, async ({ params, me, response }) => {
    const node = find(params.id);
    const form = FORMS[params.as];
    if (!form) throw notFound('such form: ask for json, header or csv');
    if (node.keySealed === null)
      throw new ProblemError(
        409,
        'Key gone',
        `${node.name} has made contact: only the digest of its key is kept. Write it again to give it a new one.`,
      );
    const configuration = await configurationOf(parts, node, vault.open(node.keySealed));
    await writeNodeLog(database, [{ node, level: 'warning', text: `its configuration with its key was downloaded by ${me?.name ?? ''}` }]);
    response.setHeader('Cache-Control', 'no-store');
    response.setHeader('Content-Disposition', `attachment; filename="${form.name(node.name)}"`);
    response.type(form.type).send(form.text(configuration, `http://${parts.config.nodeAddress}:${parts.httpPort()}`));
  });
  bindRaw(router, files.image, async ({ params, response }) => {
    const image = await imageFor(database, null, params.id);
    response.type('application/octet-stream').setHeader('X-Image-Sha256', image.sha256);
    response.sendFile(image.file, { root: imagesFolder(config.dataDirectory), dotfiles: 'allow' });
  });
  bind(router, provision.runs, () => runs.list());
  bind(router, provision.report, async ({ params }) => {
    const node = find(params.id);
    const { sheet, version, draft, ticks } = await assemblyOf(database, node);
    const catalogue = await profiles.catalogue();
    return {
      node: nodeView(node),
      sheet,
      version,
      runs: await runs.ofNode(node),
      fit: await fits.view(node),
      steps: draft ? stepsOfDraft(draft, catalogue).map(({ id, text }) => ({ id, text })) : [],
      ticks,
    };
  });
  bind(router, provision.batches, () => listBatches(database));
  bind(router, provision.beginBatch, ({ body, me }) =>
    beginBatch(database, body.nodes.map(find), body.holder, me?.name ?? '', body.firmware),
  );
  bind(router, provision.holdBatch, ({ params, body }) => holdBatch(database, params.id, body.holder));
  bind(router, provision.setBatch, ({ params, body }) => setBatch(database, params.id, body.holder, body.state));
  bind(router, provision.labels, () =>
    [...registry.nodes.values()].map((node) => ({
      node: node.name,
      setupNetwork: setupNetworkOf(node.name),
      setupPassword: vault.password(`set-up network of ${node.name}`),
    })),
  );
  bind(router, provision.labelled, async ({ body, me }) => {
    const labelled = body.nodes.map(find);
    await store.commit(async (change) => {
      for (const node of labelled) await runs.besideBench(change, node, 'label', `printed by ${me?.name ?? ''}`);
    });
    return {};
  });
  bind(router, provision.fit, ({ params }) => fits.view(find(params.id)));
  bind(router, provision.askSignal, ({ params, me }) => fits.askSignal(find(params.id), me?.name ?? ''));
  bind(router, provision.blink, ({ params }) => ({ asked: fits.blink(find(params.id)) }));
  bind(router, provision.watchContact, ({ params, body, me }) => fits.watchContact(find(params.id), body.point, me?.name ?? ''));
  bind(router, provision.operate, ({ params, body, me }) => fits.operate(find(params.id), body.point, body.on, me?.name ?? ''));
  bind(router, provision.fitCheck, ({ params, body, me }) => fits.check(find(params.id), body, me?.name ?? ''));
  bindRaw(
    router,
    files.addPhoto,
    async ({ params, me, request, response }) => {
      if (!Buffer.isBuffer(request.body)) throw new ProblemError(415, 'No picture', 'Send a JPEG or PNG picture.');
      const note = typeof request.query.note === 'string' ? request.query.note : '';
      const type = request.headers['content-type'] ?? '';
      const id = await fits.addPhoto(find(params.id), { type, bytes: request.body, note, by: me?.name ?? '' });
      response.status(201).json({ id });
    },
    express.raw({ type: ['image/jpeg', 'image/png'], limit: '4mb' }),
  );
  bindRaw(router, files.photo, async ({ params, response }) => {
    const photo = await readPhoto(database, find(params.id), params.photo);
    response.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
    response.type(photo.type).send(photo.bytes);
  });
  bind(router, provision.removePhoto, ({ params }) => fits.removePhoto(find(params.id), params.photo));
  bind(router, provision.rollouts, () => rollouts.list());
  bind(router, provision.beginRollout, ({ body, me }) => rollouts.begin(body, me?.name ?? ''));
  bind(router, provision.setRollout, ({ params, body, me }) => rollouts.set(params.id, body.wish, me?.name ?? ''));
  bind(router, provision.setInterval, async ({ body, me }) => {
    const changed = body.nodes.map(find).filter((node) => node.reportSeconds !== body.reportSeconds);
    for (const node of changed) await nodes.setInterval(node, body.reportSeconds, me?.name ?? '');
    return { changed: changed.length };
  });
  bind(router, provision.setGateway, async ({ params, body, me }) => {
    await nodes.setGateway(find(params.id), body.gateway === null ? null : find(body.gateway), body.burst, me?.name ?? '');
    return {};
  });
  bind(router, provision.replaceBoard, async ({ params, me }) => {
    const node = find(params.id);
    await nodes.keys.revoke(node, me?.name ?? '');
    await retireBoard(parts, node, me?.name ?? '');
    return {};
  });
  bind(router, provision.rotateKeys, async ({ body, me }) => {
    const not: { node: string; why: string }[] = [];
    for (const node of body.nodes.map(find)) {
      await nodes.keys.rotate(node, me?.name ?? '').catch((error: unknown) => {
        if (!(error instanceof ProblemError)) throw error;
        not.push({ node: node.name, why: error.detail });
      });
    }
    return { rotating: body.nodes.filter((node) => !not.some((one) => one.node === node)), not };
  });
  bind(router, provision.revokeKey, async ({ params, me }) => {
    await nodes.keys.revoke(findAny(params.id), me?.name ?? '');
    return {};
  });
  bind(router, provision.preflight, ({ body }) => preflightOf(parts, body.nodes.map(find), (board) => body.firmware[board ?? ''] ?? null));
  bind(router, provision.begin, ({ body, me }) => {
    return runs.begin(find(body.node), body.firmware, me?.name ?? '');
  });
  bind(router, provision.elsewhere, ({ body, me }) => runs.elsewhere(find(body.node), me?.name ?? ''));
  bind(router, provision.step, ({ params, body }) => {
    const { hardwareId, ...report } = body;
    return runs.step(params.id, report, hardwareId);
  });
  return router;
}
