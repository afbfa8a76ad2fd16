import { routePlanSchema, targetSchema, type RoutePlan } from '@dewpost/contract';
import { routeFault, SEVERITIES, type Severity, type Target } from '@dewpost/core/alarm';
import { minuteOfDay, timeOfMinute } from '@dewpost/core/time';
import * as z from 'zod';
import type { Draft, Finding } from '../../parts/zod-forms';

const { courses, quiet, allClear } = routePlanSchema.shape.routes.valueType.shape;
const time = z.string().refine((text) => text === '' || minuteOfDay(text) !== null, 'a time such as 22:00');
/** Chosen together in one list: one field, not a list of them. */
const targets = z.array(targetSchema).readonly();
const routeForm = z.object({
  courses: z.array(z.object({ ...courses.element.shape, to: targets.refine((to) => to.length > 0, 'choose whom') })),
  quiet,
  allClear,
});
/** A plan of routes as it is typed: times of day as text, empty for none. */
export const planForm = z.object({
  quietFrom: time,
  quietTo: time,
  critical: routeForm,
  warning: routeForm,
  advisory: routeForm,
  flood: z.enum(['sum', 'each']),
  news: routePlanSchema.shape.news.unwrap().readonly(),
  wellAt: time,
  wellTo: targets,
});
export type PlanDraft = Draft<typeof planForm>;
export type CourseDraft = PlanDraft['critical']['courses'][number];

const EMPTY = { courses: [], quiet: 'tell', allClear: 'never' } as const;
export const NO_PLAN: PlanDraft = {
  ...{ quietFrom: '', quietTo: '', flood: 'sum', news: [], wellAt: '', wellTo: [] },
  critical: { ...EMPTY, courses: [] },
  warning: { ...EMPTY, courses: [] },
  advisory: { ...EMPTY, courses: [] },
};

export const draftOfPlan = ({ quiet: hours, routes, flood, news, allWell }: RoutePlan): PlanDraft => ({
  quietFrom: hours ? timeOfMinute(hours.from) : '',
  quietTo: hours ? timeOfMinute(hours.to) : '',
  ...routes,
  flood,
  news,
  wellAt: allWell ? timeOfMinute(allWell.minute) : '',
  wellTo: allWell?.to ?? [],
});

/** The plan that a draft stands for; `null` while something in it is none. */
export function planOfDraft(draft: PlanDraft): RoutePlan | null {
  const result = planForm.safeParse(draft);
  if (!result.success) return null;
  const { quietFrom, quietTo, flood, news, wellAt, wellTo, ...routes } = result.data;
  const [from, to, minute] = [quietFrom, quietTo, wellAt].map(minuteOfDay);
  const plan = routePlanSchema.safeParse({
    quiet: typeof from === 'number' && typeof to === 'number' ? { from, to } : null,
    routes,
    flood,
    news: [...news],
    allWell: typeof minute === 'number' ? { minute, to: [...wellTo] } : null,
  });
  return plan.success ? plan.data : null;
}

/** What no single field knows: courses that fall, a critical alert without a way inside, half a span of hours. */
export function planFindings(draft: PlanDraft, inside: ReadonlySet<Target>): Finding[] {
  const faults = SEVERITIES.flatMap((severity: Severity): Finding[] => {
    const typed = draft[severity].courses;
    if (typed.some(({ afterMinutes, to }) => afterMinutes === null || (to ?? []).length === 0)) return [];
    const known = typed.map(({ afterMinutes, to }) => ({
      afterMinutes: Number(afterMinutes),
      to: (to ?? []) as Target[],
      everyMinutes: null,
    }));
    const fault = routeFault(severity, { courses: known }, inside);
    return fault === null ? [] : [{ path: [severity, 'quiet'], message: fault }];
  });
  const half = ((draft.quietFrom ?? '') === '') !== ((draft.quietTo ?? '') === '');
  if (half) faults.push({ path: [draft.quietFrom ? 'quietTo' : 'quietFrom'], message: 'both, or none' });
  if ((draft.wellAt ?? '') !== '' && (draft.wellTo ?? []).length === 0) faults.push({ path: ['wellTo'], message: 'choose whom' });
  return faults;
}
