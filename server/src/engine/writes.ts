import type { Relay } from '@dewpost/contract';
import type { DoneMessage, DoMessage } from '@dewpost/core/wire';
import type { OutboxItem } from '../outbox/items';
import type { ThresholdEntry } from '../model/entries';
import type { Statement } from '../database/prepared';
import { after, at, rowsOf, type Part } from './parts';
import type { Demand, NewAlert } from './effects';
import type { Shelf } from './shelf';
import type { ToldRow } from './told';

/** A notice to be. */
export interface NewNotice {
  readonly threshold: ThresholdEntry;
  readonly edge: 'trip' | 'clear';
  readonly title: string;
  readonly at: number;
  readonly value: number;
  readonly told: boolean;
}

interface Over {
  at: number;
  why: string;
}

/**
 * What a piece of the engine's work is to write, gathered while it is decided: alerts, demands, commands, messages, states. It becomes one
 * statement. What begins and ends within it is one row.
 */
export class Writes {
  private readonly opened = new Map<number, NewAlert & { over?: Over; told?: ToldRow; returned?: number | null; shelf: Shelf | null }>();
  private readonly cleared = new Map<number, Over>();
  private readonly latched = new Map<number, number | null>();
  private readonly events: { alert: number; what: string }[] = [];
  private readonly begun = new Map<number, Demand & { over?: Over }>();
  private readonly ended = new Map<number, Over>();
  private readonly commands: { output: number; command: DoMessage }[] = [];
  private readonly answers: { output: number; done: DoneMessage; at: number }[] = [];
  private readonly items: OutboxItem[] = [];
  private readonly notices: NewNotice[] = [];
  private readonly tellings = new Map<number, ToldRow>();
  private readonly relays = new Map<number, Relay>();
  private states: readonly { key: string; state: string }[] = [];
  /** What others write in the same statement. */
  private readonly others: Part[] = [];

  open(id: number, alert: NewAlert, shelf: Shelf | null): void {
    this.opened.set(id, { ...alert, shelf });
    this.events.push({ alert: id, what: alert.earlier ? 'happened earlier' : 'tripped' });
  }

  clear(id: number, over: Over): void {
    const opened = this.opened.get(id);
    if (opened) this.opened.set(id, { ...opened, over });
    else this.cleared.set(id, over);
    // One statement changes a row once: what was told of what is over is asked by nobody.
    this.tellings.delete(id);
    this.latched.delete(id);
    this.events.push({ alert: id, what: over.why });
  }

  /** When the condition of a latched alert went; `null`: it came again. */
  returned(id: number, when: number | null): void {
    const opened = this.opened.get(id);
    if (opened) this.opened.set(id, { ...opened, returned: when });
    else this.latched.set(id, when);
    this.events.push({ alert: id, what: when === null ? 'tripped again' : 'its condition went; latched' });
  }

  begin(demand: Demand): void {
    this.begun.set(demand.id, demand);
  }

  end(id: number, over: Over): void {
    const begun = this.begun.get(id);
    if (begun) this.begun.set(id, { ...begun, over });
    else this.ended.set(id, over);
  }

  command(output: number, command: DoMessage): void {
    this.commands.push({ output, command });
  }

  /** What a node answered to a command. */
  answer(output: number, done: DoneMessage, when: number): void {
    this.answers.push({ output, done, at: when });
  }

  /** What was told of an alert so far; of one that opens here it is a part of its row. */
  told(alert: number, told: ToldRow): void {
    const opened = this.opened.get(alert);
    if (opened) this.opened.set(alert, { ...opened, told });
    else this.tellings.set(alert, told);
  }

  /** Something somebody wanted to hear of. */
  note(notice: NewNotice): void {
    this.notices.push(notice);
  }

  send(item: OutboxItem): void {
    this.items.push(item);
  }

  relay(view: Relay): void {
    this.relays.set(view.point, view);
  }

  keepStates(states: readonly { key: string; state: string }[]): void {
    this.states = states;
  }

  beside(part: Part): void {
    this.others.push(part);
  }

  /** Everything as one statement; `null` where there is nothing to write. */
  statement(shard: number): Statement | null {
    const parts = [...this.others, ...this.alertParts(), ...this.demandParts(), ...this.outputParts(), ...this.stateParts(shard)];
    if (parts.length === 0) return null;
    return {
      sql: `with ${parts.map(({ name, sql }) => `${name} as (${sql})`).join(',\n')}\nselect 1`,
      bindings: parts.flatMap(({ bindings }) => bindings),
    };
  }

  private alertParts(): Part[] {
    const cleared = rowsOf(
      'alert_cleared',
      (rows) => `update alert a set cleared_at = ${at('t.over')}, cleared_why = t.why from ${rows} where a.id = t.id returning a.id`,
      'id int, over float8, why text',
      [...this.cleared].map(([id, over]) => ({ id, over: over.at, why: over.why })),
    );
    return [
      ...cleared,
      ...rowsOf(
        'alert_opened',
        (rows) => `insert into alert (id, kind, threshold_id, threshold_version, node_id, point_id, severity, title, body, tripped_at,
            value, earlier, journal, cleared_at, cleared_why, told, returned_at, shelved_until, shelved_by, shelved_why)
          select id, kind, threshold, version, node, point, severity, title, body, ${at('tripped')}, value, earlier, journal, ${at('over')}, why, told, ${at('returned')},
            ${at('shelved')}, shelver, shelved_why
          from ${rows}${after(cleared)}`,
        `id int, kind text, threshold int, version int, node int, point int, severity text, title text, body text, tripped float8,
         value float8, earlier boolean, journal boolean, over float8, why text, told jsonb, returned float8,
         shelved float8, shelver text, shelved_why text`,
        [...this.opened].map(([id, alert]) => ({
          id,
          kind: alert.kind,
          threshold: alert.threshold?.id ?? null,
          version: alert.threshold?.version ?? null,
          node: alert.node.id,
          point: alert.point?.id ?? null,
          severity: alert.severity,
          title: alert.title,
          body: alert.text,
          tripped: alert.trippedAt,
          value: alert.value,
          earlier: alert.earlier,
          journal: alert.journal ?? false,
          over: alert.over?.at ?? null,
          why: alert.over?.why ?? null,
          told: alert.told ?? null,
          returned: alert.returned ?? null,
          shelved: alert.shelf?.until ?? null,
          shelver: alert.shelf?.by ?? null,
          shelved_why: alert.shelf?.why ?? null,
        })),
      ),
      ...rowsOf(
        'alert_noted',
        (rows) => `insert into alert_event (alert_id, what) select alert, what from ${rows}`,
        'alert int, what text',
        this.events,
      ),
      ...rowsOf(
        'alert_was_told',
        // A statement changes a row once: what was told of it, and that its condition went.
        (rows) => `update alert a set told = coalesce(t.told, a.told),
          returned_at = case when t.latches then ${at('t.returned')} else a.returned_at end from ${rows} where a.id = t.id`,
        'id int, told jsonb, latches boolean, returned float8',
        [...new Set([...this.tellings.keys(), ...this.latched.keys()])].map((id) => ({
          id,
          told: this.tellings.get(id) ?? null,
          latches: this.latched.has(id),
          returned: this.latched.get(id) ?? null,
        })),
      ),
    ];
  }

  private demandParts(): Part[] {
    const ended = rowsOf(
      'demand_ended',
      (rows) => `update demand d set ended_at = ${at('t.over')}, ended_why = t.why from ${rows} where d.id = t.id returning d.id`,
      'id int, over float8, why text',
      [...this.ended].map(([id, over]) => ({ id, over: over.at, why: over.why })),
    );
    return [
      ...ended,
      ...rowsOf(
        'demand_begun',
        (rows) => `insert into demand (id, point_id, source, threshold_id, started_at, ends_at, by_whom, reason, ended_at, ended_why)
          select id, point, source, threshold, ${at('started')}, ${at('ends')}, whom, reason, ${at('over')}, why from ${rows}${after(ended)}`,
        'id int, point int, source text, threshold int, started float8, ends float8, whom text, reason text, over float8, why text',
        [...this.begun.values()].map(({ id, output, source, threshold, startedAt, endsAt, by, reason, over }) => ({
          id,
          point: output.id,
          source,
          threshold,
          started: startedAt,
          ends: endsAt,
          whom: by,
          reason,
          over: over?.at ?? null,
          why: over?.why ?? null,
        })),
      ),
    ];
  }

  private outputParts(): Part[] {
    return [
      ...rowsOf(
        'command_given',
        (rows) => `insert into command (id, point_id, value, lease_seconds, issued, not_after, reason)
          select id, point, value, lease, ${at('issued')}, ${at('last')}, reason from ${rows}`,
        'id text, point int, value boolean, lease float8, issued float8, last float8, reason text',
        this.commands.map(({ output, command }) => ({
          id: command.id,
          point: output,
          value: command.value,
          lease: command.leaseSeconds,
          issued: command.issued,
          last: command.notAfter,
          reason: command.reason,
        })),
      ),
      ...rowsOf(
        'command_answered',
        (rows) => `update command c set result = t.result, result_reason = t.reason, answered_at = ${at('t.answered')}
          from ${rows} where c.id = t.id and c.point_id = t.point`,
        'id text, point int, result text, reason text, answered float8',
        this.answers.map(({ output, done, at: answered }) => ({
          id: done.id,
          point: output,
          result: done.result,
          reason: done.reason,
          answered,
        })),
      ),
      ...rowsOf(
        'left_to_send',
        (rows) => `insert into outbox (id, kind, body) select id, kind, body from ${rows}`,
        'id int8, kind text, body jsonb',
        this.items.map(({ id, kind, body }) => ({ id, kind, body })),
      ),
      ...rowsOf(
        'notice_kept',
        (rows) => `insert into notice (threshold_id, node_id, point_id, edge, title, at, value, told)
          select threshold, node, point, edge, title, ${at('happened')}, value, told from ${rows}`,
        'threshold int, node int, point int, edge text, title text, happened float8, value float8, told boolean',
        this.notices.map(({ threshold, edge, title, at: happened, value, told }) => ({
          threshold: threshold.id,
          node: threshold.point.node.id,
          point: threshold.point.id,
          edge,
          title,
          happened,
          value,
          told,
        })),
      ),
      ...rowsOf(
        'output_seen',
        (rows) => `insert into relay_state (point_id, view) select point, view from ${rows}
          on conflict (point_id) do update set view = excluded.view`,
        'point int, view jsonb',
        [...this.relays.values()].map((view) => ({ point: view.point, view })),
      ),
    ];
  }

  private stateParts(shard: number): Part[] {
    return rowsOf(
      'state_kept',
      (rows) => `insert into engine_state (shard, key, state) select ${Math.trunc(shard)}, key, state from ${rows}
        on conflict (shard, key) do update set state = excluded.state`,
      'key text, state text',
      this.states,
    );
  }
}
