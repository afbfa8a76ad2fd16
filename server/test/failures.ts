import type { Database } from '../src/database/connect';

/** What the engine's work writes. */
export const WRITTEN = ['reading', 'alert', 'alert_event', 'demand', 'command', 'outbox', 'relay_state', 'engine_state', 'node'] as const;
const OTHERS = ['node_log', 'threshold', 'threshold_version', 'provision_run', 'provision_step'] as const;

/** Lets every write to a table fail while `now` names it: a statement trigger on each. */
export class Failures {
  private constructor(private readonly database: Database) {}

  static async on(database: Database): Promise<Failures> {
    await database.raw(`
      create unlogged table failing (name text primary key);
      create function fail_when_wanted() returns trigger language plpgsql as $$
      begin
        if exists (select 1 from failing where name = tg_table_name) then
          raise exception 'the disk under % is gone', tg_table_name;
        end if;
        return null;
      end $$;`);
    for (const table of [...WRITTEN, ...OTHERS])
      await database.raw(
        `create trigger fails before insert or update or delete on ${table} for each statement execute function fail_when_wanted()`,
      );
    return new Failures(database);
  }

  async now(table: string | null): Promise<void> {
    await this.database('failing').delete();
    if (table !== null) await this.database('failing').insert({ name: table });
  }
}
