import { formulaNamed, shownOver } from '@dewpost/core/derive';
import type { Transaction } from '../database/connect';
import { insertPoints, makeSource } from '../nodes/make-sources';
import type { Vault } from '../vault/vault';
import * as z from 'zod';

/** A point of the demo that is computed from others; inputs as `node/point`. */
export const demoComputedSchema = z.object({
  room: z.string(),
  name: z.string(),
  label: z.string(),
  formula: z.string(),
  inputs: z.array(z.string()).min(1),
  parameters: z.record(z.string(), z.number()).default({}),
  toleranceSeconds: z.number().int().default(600),
});
type DemoComputed = z.infer<typeof demoComputedSchema>;

/** Makes them as a maker would have; the server computes their past when it starts. Throws for a formula that is not there. */
export async function makeComputed(
  trx: Transaction,
  vault: Vault,
  wanted: readonly DemoComputed[],
  pointOf: (node: string, name: string) => { id: number; unit: string; min: number; max: number },
): Promise<void> {
  for (const room of new Set(wanted.map((one) => one.room))) {
    const own = wanted.filter((one) => one.room === room);
    const made = own.map((one) => {
      const formula = formulaNamed(one.formula);
      if (!formula) throw new Error(`the scenario names the formula ${one.formula}, which does not exist`);
      const inputs = one.inputs.map((input) => {
        const [node = '', name = ''] = input.split('/');
        return pointOf(node, name);
      });
      return { one, formula, inputs };
    });
    const points = made.map(({ one: { name, label }, formula, inputs }) => {
      const [min, max] = shownOver(
        formula,
        inputs.map((input) => [input.min, input.max]),
      );
      return { name, label, unit: formula.unit(inputs[0]?.unit ?? ''), min, max };
    });
    const { id } = await makeSource(trx, vault, { name: `Computed, ${room}`, room, points: [] }, 'computed');
    await trx('node').where({ name: id }).update({ key_sealed: null });
    const { id: node } = (await trx('node').where({ name: id }).first('id')) as { id: number };
    await insertPoints(trx, node, 0, points);
    for (const { one, inputs } of made) {
      const row = (await trx('point').where({ node_id: node, name: one.name }).first('id')) as { id: number };
      await trx('computed').insert({ point_id: row.id, version: 1, anew_from: new Date(0) });
      await trx('computed_version').insert({
        point_id: row.id,
        version: 1,
        formula: one.formula,
        parameters: JSON.stringify(one.parameters),
        tolerance_seconds: one.toleranceSeconds,
        made_by: 'millwright',
      });
      await trx('computed_input').insert(inputs.map((input, place) => ({ point_id: row.id, version: 1, place, input_id: input.id })));
    }
  }
}
