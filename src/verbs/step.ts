import { IsomericError } from '../core/errors.ts';
import type { Layer, Table } from '../core/layer/layer.ts';
import type { Verb } from './description.ts';

/** A value, or the promise of one: what `openLayer` and `openTable` give need not be waited for. */
export type Given<T> = T | Promise<T>;

/** A step that hands on what it is given with other features or fields: a layer stays a layer. */
export type TableStep = <T extends Table>(given: T) => Promise<T>;
/** A step that needs geometry. */
export type LayerStep = (given: Layer) => Promise<Layer>;
/** A step whose rows are of another kind, so that they have no geometry. */
export type RowStep = (given: Table) => Promise<Table>;

/**
 * The promise of what was given. What is opened first and used later may fail before anybody waits for it: that is told
 * where it is used, and must not end the program before.
 */
export function later<T>(given: Given<T>): Promise<T> {
  const promise = Promise.resolve(given);
  promise.catch(() => {});
  return promise;
}

/** A verb with its values, as a step of `prepare`. */
export function stepOf<S extends TableStep | LayerStep | RowStep>(
  verb: Verb,
  values: () => Given<Readonly<Record<string, unknown>>>,
): S {
  const step = async (given: Table): Promise<Table> => verb.apply(given, await values());
  Object.defineProperty(step, 'name', { value: verb.name });
  return step as unknown as S;
}

type Step<A, B> = (given: A) => Given<B>;

/**
 * Plans steps after one another: `prepare(wards, join(housing, 'code = ward'), clip(area))`. Nothing flows yet: `save`,
 * `rowsOf` and `countOf` read. What a step cannot do is told now, with its number.
 *
 * @throws IsomericError of the step that cannot be planned, placed at `LAYER, step 2 (clip)`
 */
export function prepare<A extends Table>(given: Given<A>): Promise<A>;
export function prepare<A extends Table, B>(given: Given<A>, first: Step<A, B>): Promise<B>;
export function prepare<A extends Table, B, C>(
  given: Given<A>,
  first: Step<A, B>,
  second: Step<B, C>,
): Promise<C>;
export function prepare<A extends Table, B, C, D>(
  given: Given<A>,
  first: Step<A, B>,
  second: Step<B, C>,
  third: Step<C, D>,
): Promise<D>;
export function prepare<A extends Table, B, C, D, E>(
  given: Given<A>,
  first: Step<A, B>,
  second: Step<B, C>,
  third: Step<C, D>,
  fourth: Step<D, E>,
): Promise<E>;
export function prepare<A extends Table, B, C, D, E, F>(
  given: Given<A>,
  first: Step<A, B>,
  second: Step<B, C>,
  third: Step<C, D>,
  fourth: Step<D, E>,
  fifth: Step<E, F>,
): Promise<F>;
export function prepare<A extends Table, B, C, D, E, F, G>(
  given: Given<A>,
  first: Step<A, B>,
  second: Step<B, C>,
  third: Step<C, D>,
  fourth: Step<D, E>,
  fifth: Step<E, F>,
  sixth: Step<F, G>,
): Promise<G>;
export function prepare<A extends Table, B, C, D, E, F, G, H>(
  given: Given<A>,
  first: Step<A, B>,
  second: Step<B, C>,
  third: Step<C, D>,
  fourth: Step<D, E>,
  fifth: Step<E, F>,
  sixth: Step<F, G>,
  seventh: Step<G, H>,
): Promise<H>;
export function prepare<A extends Table, B, C, D, E, F, G, H, I>(
  given: Given<A>,
  first: Step<A, B>,
  second: Step<B, C>,
  third: Step<C, D>,
  fourth: Step<D, E>,
  fifth: Step<E, F>,
  sixth: Step<F, G>,
  seventh: Step<G, H>,
  eighth: Step<H, I>,
): Promise<I>;
export function prepare(
  given: Given<Table>,
  ...steps: readonly ((given: never) => Given<unknown>)[]
): Promise<unknown> {
  return later(planned(given, steps));
}

async function planned(
  given: Given<Table>,
  steps: readonly ((given: never) => Given<unknown>)[],
): Promise<unknown> {
  const first = await given;
  if (typeof first?.batches !== 'function')
    throw new IsomericError('layer-expected', 'What is to be prepared is no layer and no table.', {
      advice: 'Open it first: openLayer(…) or openTable(…).',
      blame: 'usage',
    });
  let result: unknown = first;
  for (const [k, step] of steps.entries()) {
    try {
      if (typeof step !== 'function')
        throw new IsomericError('step-expected', `“${String(step)}” is no step.`, {
          advice: 'A step is a verb that is called, like clip(area), or a function of your own.',
          blame: 'usage',
        });
      result = await step(result as never);
    } catch (error) {
      const place = {
        layer: `${first.name}, step ${k + 1} (${(step as { name?: string } | null)?.name || 'of your own'})`,
      };
      throw error instanceof IsomericError ? error.at(place) : error;
    }
  }
  return result;
}
