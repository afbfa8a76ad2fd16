import type { RoutePlan } from '@dewpost/contract';
import { tellings, type Route, type Severity, type Telling } from '@dewpost/core/alarm';
import { quietHours } from '@dewpost/core/time';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { SeverityGlyph } from '../../parts/severity-glyph';
import { timeOfDay } from '../../parts/times';

const [WIDTH, STEP] = [560, 34];
/** How far ahead of its beginning a route is drawn, minutes: until the last course has begun, and a little on. */
const LEAST_MINUTES = 30;
const AFTER_LAST = 1.2;

/** A route as stairs from the trip on: a course is whom it tells, a riser how long it waits. */
@Component({
  selector: 'dp-route-stairs',
  imports: [SeverityGlyph],
  template: `@if (drawn(); as all) {
    <div class="route">
      <dp-severity [of]="severity()" [size]="18" />
      @if (all.stairs.length > 0) {
        <svg [attr.viewBox]="all.box" role="img" [attr.aria-label]="all.words">
          @for (stair of all.stairs; track stair.course) {
            <path class="stair" [attr.d]="stair.path" />
            <text [attr.x]="stair.x + 8" [attr.y]="stair.y + 15" class="who">{{ stair.who }}</text>
            <text [attr.x]="stair.x + 8" [attr.y]="stair.y + 28" class="how">{{ stair.how }}</text>
          }
          <line x1="0" [attr.x2]="all.width" [attr.y1]="all.base" [attr.y2]="all.base" class="base" />
          @for (stair of all.stairs; track stair.course) {
            <text [attr.x]="stair.x" [attr.y]="all.base + 14" class="time">{{ stair.at }}</text>
          }
        </svg>
      }
      <p>{{ all.words }}</p>
    </div>
  }`,
  styles: `
    .route {
      display: grid;
      grid-template-columns: 24px minmax(0, 1fr);
      gap: 4px 10px;
      padding: 12px 0;
      border-top: 1px solid var(--hair);
      align-items: end;
    }
    svg {
      width: 100%;
      max-width: 620px;
    }
    p {
      grid-column: 2;
      overflow-wrap: anywhere;
    }
    .stair {
      fill: var(--spruce-t);
      stroke: var(--ink-2);
    }
    .base {
      stroke: var(--ink-2);
      stroke-width: 1.5;
    }
    text {
      fill: var(--ink);
      font: 600 12px var(--sans);
    }
    .how {
      fill: var(--ink-2);
      font-weight: 400;
      font-size: 11px;
    }
    .time {
      font: 500 11px var(--mono);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RouteStairs {
  readonly plan = input.required<RoutePlan>();
  readonly severity = input.required<Severity>();
  /** When it would trip, ms. */
  readonly trippedAt = input.required<number>();
  readonly zone = input.required<string>();
  /** Whom a course tells, in words. */
  readonly whoOf = input.required<(to: Telling['to']) => string>();

  protected readonly drawn = computed(() => {
    const [plan, severity, trippedAt, zone, whoOf] = [this.plan(), this.severity(), this.trippedAt(), this.zone(), this.whoOf()];
    const route: Route = plan.routes[severity];
    const quiet = quietHours(zone, plan.quiet);
    const last = Math.max(0, ...route.courses.map(({ afterMinutes }) => afterMinutes));
    const minutes = Math.max(LEAST_MINUTES, last * AFTER_LAST);
    const begin = route.quiet === 'keep' ? quiet.endOf(trippedAt) : trippedAt;
    const firsts = tellings(route, trippedAt, begin + minutes * 60_000, quiet).filter(({ repetition }) => repetition === 0);
    const x = (at: number): number => ((at - begin) / (minutes * 60_000)) * WIDTH;
    const height = firsts.length * STEP;
    const time = (at: number): string => timeOfDay(at, zone);
    const every = (course: number): string => {
      const minute = route.courses[course]?.everyMinutes;
      return minute === null || minute === undefined ? 'once' : `every ${minute} min`;
    };
    const stairs = firsts.map((one, i) => {
      const y = height - (i + 1) * STEP;
      const left = Math.min(x(one.at), WIDTH - 130);
      return {
        ...{ course: one.course, x: left, y, at: time(one.at), who: whoOf(one.to), how: every(one.course) },
        path: `M${left} ${height}V${y}H${WIDTH}V${y + STEP}H${left}z`,
      };
    });
    return {
      stairs,
      base: height,
      width: WIDTH,
      box: `0 -2 ${WIDTH} ${height + 20}`,
      words: this.sentence(route, firsts, trippedAt, begin),
    };
  });

  /** The same in a sentence. */
  private sentence(route: Route, firsts: readonly Telling[], trippedAt: number, begin: number): string {
    const severity = this.severity();
    const name = `${severity === 'advisory' ? 'An' : 'A'} ${severity} alert`;
    if (firsts.length === 0) return `${name} tells nobody: it stands on the page of alerts.`;
    const who = this.whoOf();
    const time = (at: number): string => timeOfDay(at, this.zone());
    const kept = begin > trippedAt ? `is kept until ${time(begin)}, and then tells ` : 'tells ';
    const [first, ...rest] = firsts;
    const next = rest.map(({ at, to }) => `${who(to)} at ${time(at)}`);
    const climbs = next.length === 0 ? '' : ` Unacknowledged it goes to ${next.join(', to ')}.`;
    const over = {
      always: ' When it is over they hear of it.',
      'by day': ' When it is over they hear of it, but for quiet hours.',
      never: '',
    };
    return `${name} ${kept}${who(first?.to ?? [])}${begin > trippedAt ? '' : ' at once'}.${climbs}${over[route.allClear]}`;
  }
}
