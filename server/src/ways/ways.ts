import type { MessagePreview, NewWay, Way } from '@dewpost/contract';
import { asRead, mailText, READ_BY } from '@dewpost/core/alarm';
import type { HandsetMessage } from '@dewpost/core/wire';
import { randomUUID } from 'node:crypto';
import type { Database } from '../database/connect';
import type { WayRule } from '../engine/messages';
import { NotAllowed } from '../net/outgoing';
import { notFound, ProblemError } from '../problem/problem';
import { nodeNamed } from '../model/lookup';
import type { Registry } from '../model/registry';
import type { Store } from '../store/change';
import { randomToken, type Vault } from '../vault/vault';
import type { Announcer } from './announcer';
import { sendMail, type MailSettings } from './mail';
import type { OpenPages } from './open-pages';
import { pushIdentity, pushTo, type PushIdentity, type PushSettings } from './push';
import { postWebhook } from './webhook';

type Settings = { url: string; template?: string | null } | MailSettings | { node: string } | PushSettings | { account: string };

interface WayEntry extends WayRule {
  readonly kind: Way['kind'];
  readonly settings: Settings;
  readonly secretSealed: string | null;
  readonly madeBy: string;
  readonly madeAt: number;
  provedAt: number | null;
  failedAt: number | null;
  failure: string | null;
}

/** Why a message did not arrive. `final`: trying again does not help. */
export interface Failure {
  readonly text: string;
  readonly final: boolean;
}

interface WayRow {
  id: number;
  kind: Way['kind'];
  name: string;
  settings: Settings;
  secret_sealed: string | null;
  least: WayRule['least'];
  notices: boolean;
  made_by: string;
  made_at: Date;
  proved_at: Date | null;
  failed_at: Date | null;
  failure: string | null;
}

/** Ways by which messages reach people: webhooks, mail and pushes out of the house; nodes that speak and open pages within it. */
export class Ways {
  private readonly entries = new Map<number, WayEntry>();

  constructor(
    private readonly parts: {
      store: Store;
      database: Database;
      vault: Vault;
      /** host:port of the building that may be spoken to. */
      allowed: readonly string[];
      registry: Registry;
      announcer: Announcer;
      pages: OpenPages;
      siteName(): Promise<string>;
      /** Where people reach the page of alerts; `null`: nobody has said under which address. */
      link: string | null;
    },
  ) {}

  async load(): Promise<void> {
    for (const row of (await this.parts.database('way').orderBy('id')) as WayRow[]) this.entries.set(row.id, entryOf(row));
  }

  /** For the engine: what decides which messages go by which. */
  readonly rules = (): readonly WayRule[] => [...this.entries.values()];

  list(): Way[] {
    return [...this.entries.values()].map(viewOf);
  }

  /** Adds a way; gives the signing secret of a webhook, once. */
  async add(wanted: NewWay, by: string): Promise<Way & { secret: string | null }> {
    const { store, vault } = this.parts;
    const { kind, name, least, notices } = wanted;
    if (kind === 'node') this.refuseMute(wanted.node);
    if (kind === 'page') await this.refuseStranger(wanted.account);
    const secret = kind === 'webhook' ? randomToken(24) : null;
    const hidden = kind === 'mail' ? wanted.password : kind === 'push' ? wanted.keys.auth : secret;
    return store.commit(async (change) => {
      const [row] = (await change
        .trx('way')
        .insert({
          kind,
          name,
          least,
          notices,
          made_by: by,
          settings: JSON.stringify(settingsOf(wanted)),
          secret_sealed: hidden === null || hidden === '' ? null : vault.seal(hidden),
        })
        .returning('*')) as WayRow[];
      if (!row) throw new Error('a way was not written');
      const entry = entryOf(row);
      change.apply(() => this.entries.set(row.id, entry));
      return { ...viewOf(entry), secret };
    });
  }

  async remove(id: number): Promise<void> {
    this.find(id);
    await this.parts.store.commit(async (change) => {
      await change.trx('way').where({ id }).delete();
      change.apply(() => this.entries.delete(id));
    });
  }

  /** Really delivers a message by this way, and says how that went. */
  async test(id: number, by: string): Promise<{ delivered: boolean; ms: number; detail: string }> {
    const way = this.find(id);
    const begun = performance.now();
    const failed = await this.deliver(id, {
      id: randomUUID(),
      to: way.name,
      title: 'A test, nothing is wrong',
      severity: 'note',
      alertId: null,
      trippedAt: null,
      text: `${by} tried this way. Nothing has to be done.`,
      sentAt: Date.now(),
    });
    return {
      delivered: failed === null,
      ms: Math.round(performance.now() - begun),
      detail: failed?.text ?? `delivered to ${viewOf(way).to}`,
    };
  }

  /** Delivers one message; gives why it could not, or `null`. What became of it is kept with the way. One that is gone is passed over. */
  async deliver(id: number, message: HandsetMessage): Promise<Failure | null> {
    const way = this.entries.get(id);
    if (!way) return null;
    const failed = await this.send(way, message).then(
      () => null,
      (error: unknown): Failure => ({
        text: (error instanceof Error ? error.message : String(error)).slice(0, 300),
        final: error instanceof NotAllowed,
      }),
    );
    const failure = failed?.text ?? null;
    const now = Date.now();
    await this.parts.store.commit(async (change) => {
      await change
        .trx('way')
        .where({ id })
        .update(failure === null ? { proved_at: new Date(now), failed_at: null, failure: null } : { failed_at: new Date(now), failure });
      change.apply(() =>
        Object.assign(way, failure === null ? { provedAt: now, failedAt: null, failure: null } : { failedAt: now, failure }),
      );
    });
    return failed;
  }

  /** One message as it reads by each way. */
  async reads(message: Pick<HandsetMessage, 'title' | 'text'>): Promise<MessagePreview['reads']> {
    const site = await this.parts.siteName();
    return READ_BY.map((by) => ({ by, ...asRead(by, site, { ...message, link: this.parts.link }) }));
  }

  private async send(way: WayEntry, message: HandsetMessage): Promise<void> {
    const { vault, allowed, link } = this.parts;
    const secret = way.secretSealed === null ? '' : vault.open(way.secretSealed);
    const site = await this.parts.siteName();
    const { settings } = way;
    if ('node' in settings) await this.parts.announcer.announce(settings.node, message);
    else if ('account' in settings) await this.parts.pages.show(settings.account, message);
    else if ('url' in settings) await postWebhook(settings, secret, { site, link, ...message }, allowed, Date.now());
    else if ('endpoint' in settings) await pushTo(settings, secret, await this.identity(), { ...message, link }, allowed);
    else await sendMail(settings, secret, { ...message, ...mailText(site, { ...message, link }) }, site, allowed);
  }

  /** By which push services know this house. */
  readonly identity = (): Promise<PushIdentity> => pushIdentity(this.parts.database, this.parts.vault);

  private async refuseStranger(account: string): Promise<void> {
    if (await this.parts.database('account').where({ name: account }).first()) return;
    const message = `There is no account ${account}.`;
    throw new ProblemError(422, 'Nobody', message, [{ path: 'body.account', message }]);
  }

  private refuseMute(name: string): void {
    const node = nodeNamed(this.parts.registry, name);
    if ((node.hello?.says ?? []).length > 0) return;
    const message = `${node.title} has not said that it can speak: its firmware says so in its hello.`;
    throw new ProblemError(422, 'Cannot speak', message, [{ path: 'body.node', message }]);
  }

  private find(id: number): WayEntry {
    const way = this.entries.get(id);
    if (!way) throw notFound(`way ${id}`);
    return way;
  }
}

function settingsOf(wanted: NewWay): Settings {
  if (wanted.kind === 'webhook') return { url: wanted.url, template: wanted.template };
  if (wanted.kind === 'node') return { node: wanted.node };
  if (wanted.kind === 'page') return { account: wanted.account };
  if (wanted.kind === 'push') return { endpoint: wanted.endpoint, p256dh: wanted.keys.p256dh };
  const { host, port, tls, user, from, to } = wanted;
  return { host, port, tls, user, from, to };
}

const entryOf = (row: WayRow): WayEntry => ({
  id: row.id,
  kind: row.kind,
  name: row.name,
  settings: row.settings,
  secretSealed: row.secret_sealed,
  least: row.least,
  notices: row.notices,
  inside: row.kind === 'node',
  madeBy: row.made_by,
  madeAt: row.made_at.getTime(),
  provedAt: row.proved_at?.getTime() ?? null,
  failedAt: row.failed_at?.getTime() ?? null,
  failure: row.failure,
});

/** As pages see it: where it goes, and no secret; of an address the host only, since the rest often is one. */
function viewOf(way: WayEntry): Way {
  const { id, kind, name, least, notices, madeBy, madeAt, provedAt, failedAt, failure } = way;
  const to = toOf(way.settings);
  return { id, kind, name, to, least, notices, madeBy, madeAt, provedAt, failedAt, failure };
}

function toOf(settings: Settings): string {
  if ('node' in settings) return settings.node;
  if ('account' in settings) return settings.account;
  if ('url' in settings) return new URL(settings.url).host;
  return 'endpoint' in settings ? new URL(settings.endpoint).host : settings.to.join(', ');
}
