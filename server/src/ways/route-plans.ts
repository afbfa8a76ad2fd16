import { routePlanSchema, type RoutePlan, type RoutesView } from '@dewpost/contract';
import { routeFault, SEVERITIES, severityRank, type Route, type Severity, type Target } from '@dewpost/core/alarm';
import { quietHours, type QuietHours } from '@dewpost/core/time';
import type { Database } from '../database/connect';
import type { WayRule } from '../engine/messages';
import { changedMeanwhile, ProblemError } from '../problem/problem';
import type { Store } from '../store/change';

/** Who is told of alerts: as somebody has laid it down, and before that everybody at once. One plan for the site, a version each. */
export class RoutePlans {
  private stored: RoutePlan | null = null;
  private version = 0;
  private hours: { readonly key: string; readonly quiet: QuietHours } | null = null;

  constructor(
    private readonly parts: {
      store: Store;
      database: Database;
      ways(): readonly WayRule[];
      handset: boolean;
      zone(): string;
      /** Another plan is in force. */
      changed(): void;
    },
  ) {}

  async load(): Promise<void> {
    const row = (await this.parts.database('route_plan').first()) as { version: number; plan: unknown } | undefined;
    // What somebody laid down before there was a field has it as it is meant for them.
    this.stored = row ? routePlanSchema.parse(row.plan) : null;
    this.version = row?.version ?? 0;
  }

  view(): RoutesView {
    return { version: this.version, plan: this.plan(), handset: this.parts.handset };
  }

  /** Is anybody to be told by this way, because somebody has laid it down so? */
  tellsBy(way: number): boolean {
    const { stored } = this;
    if (!stored) return false;
    const named = [
      ...SEVERITIES.flatMap((severity) => stored.routes[severity].courses.flatMap(({ to }) => to)),
      ...(stored.allWell?.to ?? []),
    ];
    return named.includes(way);
  }

  /** What holds now, without ways that are gone. */
  readonly plan = (): RoutePlan => {
    const { stored } = this;
    if (!stored) return this.usual();
    const known = this.known();
    const there = (to: readonly Target[]): Target[] => to.filter((target) => known.has(target));
    const route = (severity: Severity): RoutePlan['routes'][Severity] => ({
      ...stored.routes[severity],
      courses: stored.routes[severity].courses.map((course) => ({ ...course, to: there(course.to) })),
    });
    return { ...stored, routes: { advisory: route('advisory'), warning: route('warning'), critical: route('critical') } };
  };

  readonly quiet = (): QuietHours => {
    const hours = this.stored?.quiet ?? null;
    const zone = this.parts.zone();
    const key = `${zone} ${hours?.from} ${hours?.to}`;
    if (this.hours?.key !== key) this.hours = { key, quiet: quietHours(zone, hours) };
    return this.hours.quiet;
  };

  /** Puts another plan in force in the place of version `from`. Throws 409 where somebody was faster, 422 in words for what cannot be. */
  async change(from: number, plan: RoutePlan, by: string): Promise<RoutesView> {
    this.refuseFaults(plan);
    await this.parts.store.commitInTurn('routes', async (change) => {
      if (this.version !== from) throw changedMeanwhile('plan of routes', from, this.version, this.view());
      const version = from + 1;
      await change
        .trx('route_plan')
        .insert({ version, plan: JSON.stringify(plan), changed_by: by })
        .onConflict('one')
        .merge();
      change.apply(() => {
        this.stored = plan;
        this.version = version;
      });
      change.tell(() => this.parts.changed());
    });
    return this.view();
  }

  private refuseFaults(plan: RoutePlan): void {
    const refuse = (path: string, words: string): never => {
      const message = `${words.charAt(0).toUpperCase()}${words.slice(1)}.`;
      throw new ProblemError(422, 'Cannot be laid so', message, [{ path: `body.plan.${path}`, message }]);
    };
    const known = this.known();
    for (const severity of SEVERITIES) {
      const { courses } = plan.routes[severity];
      const gone = courses.flatMap(({ to }) => to).find((target) => !known.has(target));
      if (gone !== undefined) refuse(`routes.${severity}.courses`, `there is no way ${gone}: see GET /api/v1/ways`);
      const fault = routeFault(severity, { courses }, this.inside());
      if (fault !== null) refuse(`routes.${severity}.courses`, fault);
    }
    if (plan.allWell?.to.some((target) => !known.has(target))) refuse('allWell.to', 'one of these ways is gone');
  }

  /** Whom a message reaches without a link out of the house. */
  private inside(): Set<Target> {
    const speaking = this.parts.ways().flatMap(({ id, inside }) => (inside ? [id] : []));
    return new Set<Target>([...(this.parts.handset ? (['handset'] as const) : []), ...speaking]);
  }

  /** Whom there is to tell. */
  private known(): Set<Target> {
    return new Set<Target>([...(this.parts.handset ? (['handset'] as const) : []), ...this.parts.ways().map(({ id }) => id)]);
  }

  /** Before anybody has laid routes: the handset and every way for the severity, at once, by day and by night. */
  private usual(): RoutePlan {
    const inside: readonly Target[] = this.parts.handset ? ['handset'] : [];
    const route = (severity: Severity): Route & RoutePlan['routes'][Severity] => ({
      courses: [
        {
          afterMinutes: 0,
          to: [...inside, ...this.parts.ways().flatMap(({ id, least }) => (severityRank(severity) >= severityRank(least) ? [id] : []))],
          everyMinutes: null,
        },
      ],
      quiet: 'tell',
      allClear: 'never',
    });
    const routes = { advisory: route('advisory'), warning: route('warning'), critical: route('critical') };
    return { quiet: null, routes, flood: 'sum', news: [], allWell: null };
  }
}
