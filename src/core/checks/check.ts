import { grouped } from '../account.ts';
import { IsomericError } from '../errors.ts';
import type { Finding } from '../findings.ts';
import { boxesMeet, emptyBox, growBox, isEmptyBox } from '../geometry/geometry-array.ts';
import type { AreaIndex } from '../geometry/overlay/area-index.ts';
import type { Batch } from '../layer/batch.ts';
import { isLayer, type Layer, type Table } from '../layer/layer.ts';
import { compileExpression } from '../table/cql2/evaluate.ts';
import { eachKey, KeyIndex } from '../table/keys/key-index.ts';
import { coefficientOfVariation } from '../table/margins.ts';
import { requireField } from '../table/schema.ts';
import { faultsOf, faultWords } from './validity.ts';

/** Most findings of one check that are kept singly; the rest are counted. */
const most = 200;

/** One check while rows flow by. */
export interface Check {
  /** What is asked, in words: `valid`. */
  words: string;
  /** Looks at one batch; called for all of them in order. */
  see(batch: Batch): void;
  /** Called after the last batch: what was found, and one sentence about it. */
  close(): { findings: Finding[]; sentence: string };
}

class Collector {
  findings: Finding[] = [];
  count = 0;

  add(finding: Finding): void {
    if (this.count++ < most) this.findings.push(finding);
  }

  closed(): Finding[] {
    const left = this.count - this.findings.length;
    if (left > 0)
      this.findings.push({
        ...this.findings[0],
        feature: undefined,
        at: undefined,
        words: `${grouped(left)} more of the same kind.`,
      });
    return this.findings;
  }
}

/** Every geometry is valid under the OGC's Simple Features. */
export function validCheck(layer: Layer): Check {
  const found = new Collector();
  let all = 0;
  let bad = 0;
  return {
    words: 'valid',
    see(batch) {
      const geometry = batch.geometry!;
      for (let i = 0; i < batch.length; i++) {
        const faults = faultsOf(geometry, i);
        all++;
        if (faults.length > 0) bad++;
        for (const fault of faults) {
          found.add({
            code: fault.code,
            severity: 'error',
            layer: layer.name,
            feature: batch.id(i),
            at: Number.isFinite(fault.x) && Number.isFinite(fault.y) ? [fault.x, fault.y] : undefined,
            words: `The geometry is invalid: ${faultWords[fault.code]}.`,
            repair: 'repair it (“isomeric repair”, the step “repair: {}”)',
          });
        }
      }
    },
    close: () => ({
      findings: found.closed(),
      sentence: `Valid: ${grouped(all)} ${layer.name}; ${grouped(all - bad)} valid, ${grouped(bad)} not.`,
    }),
  };
}

/** No key is missing or comes twice. */
export function keyCheck(table: Table, field: string): Check {
  const c = requireField(table.schema, field, table.name);
  const index = new KeyIndex();
  const found = new Collector();
  let all = 0;
  let blank = 0;
  return {
    words: `key: ${field}`,
    see(batch) {
      const ids = batch;
      eachKey(batch.columns[c], (i, bytes, start, end) => {
        if (bytes === null || start === end) {
          blank++;
          found.add({
            code: 'key-missing',
            severity: 'error',
            layer: table.name,
            feature: ids.id(i),
            at: pointOf(batch, i),
            words: `The key ${field} is blank.`,
          });
          return;
        }
        const key = index.add(bytes, start, end, all + i);
        if (index.times[key] > 1) {
          found.add({
            code: 'key-twice',
            severity: 'error',
            layer: table.name,
            feature: ids.id(i),
            at: pointOf(batch, i),
            words: `The key ${field} = ${index.text(key)} occurs again; row ${grouped(index.firstRow[key] + 1)} has it first.`,
          });
        }
      });
      all += batch.length;
    },
    close() {
      let twice = 0;
      for (const times of index.times) if (times > 1) twice++;
      return {
        findings: found.closed(),
        sentence: `Key ${field}: ${grouped(all)} ${table.name}; ${grouped(index.size)} different keys, ${grouped(twice)} that occur more than once, ${grouped(blank)} blank.`,
      };
    },
  };
}

/** A first vertex of the feature, to jump to. */
function pointOf(batch: Batch, i: number): [number, number] | undefined {
  if (batch.geometry === null || batch.geometry.isEmpty(i)) return undefined;
  const v = 2 * batch.geometry.firstVertex(i);
  return [batch.geometry.xy[v], batch.geometry.xy[v + 1]];
}

/** A CQL2 condition holds for every row; rows where it is unknown are told apart. */
export function conditionCheck(table: Table, condition: string): Check {
  const test = compileExpression(condition, table.schema, table.name, {
    crs: isLayer(table) ? table.crs : undefined,
  });
  const found = new Collector();
  let all = 0;
  let unknown = 0;
  return {
    words: condition,
    see(batch) {
      const read = test.bind(batch);
      for (let i = 0; i < batch.length; i++) {
        const value = read(i);
        all++;
        if (value === true) continue;
        if (value === null) {
          unknown++;
          found.add({
            code: 'condition-unknown',
            severity: 'note',
            layer: table.name,
            feature: batch.id(i),
            at: pointOf(batch, i),
            words: `“${condition}” cannot be told: a value is blank.`,
          });
          continue;
        }
        const values = test.fields.map(
          (name) => `${name} = ${batch.columns[requireField(table.schema, name, table.name)].text(i)}`,
        );
        found.add({
          code: 'condition-broken',
          severity: 'error',
          layer: table.name,
          feature: batch.id(i),
          at: pointOf(batch, i),
          words: `“${condition}” does not hold: ${values.join(', ')}.`,
        });
      }
    },
    close: () => {
      const broken = found.count - unknown;
      return {
        findings: found.closed(),
        sentence: `${condition}: ${grouped(all)} ${table.name}; it holds for ${grouped(all - found.count)}, not for ${grouped(broken)}, and cannot be told for ${grouped(unknown)}.`,
      };
    },
  };
}

/** Estimates of a field are sure enough to be mapped: their coefficient of variation is not above a limit in per cent. */
export function sureCheck(table: Table, name: string, above: number, confidence: number): Check {
  const c = requireField(table.schema, name, table.name);
  const { margin } = table.schema[c];
  if (margin === undefined)
    throw new IsomericError(
      'margin-missing',
      `${name} of ${table.name} has no margin of error, so it cannot be told how sure it is.`,
      {
        blame: 'usage',
      },
    );
  const m = requireField(table.schema, margin, table.name);
  // Rows of a table are told by their code; features have ids of their own.
  const key = isLayer(table) ? -1 : table.schema.findIndex((field) => field.role === 'code');
  const found = new Collector();
  let all = 0;
  let unknown = 0;
  return {
    words: `sure: ${name}`,
    see(batch) {
      for (let i = 0; i < batch.length; i++) {
        const estimate = batch.columns[c];
        const error = batch.columns[m];
        all++;
        if (estimate.isNull(i) || error.isNull(i)) {
          unknown++;
          continue;
        }
        const variation = coefficientOfVariation(estimate.number(i), error.number(i), confidence);
        if (variation <= above) continue;
        found.add({
          code: 'estimate-unsure',
          severity: 'warning',
          layer: table.name,
          feature: (key < 0 ? null : batch.columns[key].text(i)) ?? batch.id(i),
          at: pointOf(batch, i),
          words: `${name} = ${Number(estimate.number(i).toPrecision(6))} ± ${Number(error.number(i).toPrecision(4))}: its coefficient of variation is ${Number.isFinite(variation) ? `${variation.toFixed(0)} %` : 'without limit'}, above ${above} %; it is too unsure to map.`,
          repair: 'group units until the figure is sure enough, or draw it apart',
        });
      }
    },
    close: () => ({
      findings: found.closed(),
      sentence: `Sure ${name}: ${grouped(all)} ${table.name}; ${grouped(all - unknown - found.count)} with a coefficient of variation up to ${above} %, ${grouped(found.count)} above, ${grouped(unknown)} without a value or margin.`,
    }),
  };
}

/** The layer reaches the area at all (one that misses it usually has another CRS than it says). */
export function areaCheck(layer: Layer, area: AreaIndex): Check {
  const whole = emptyBox();
  let all = 0;
  return {
    words: 'meets the area',
    see(batch) {
      all += batch.length;
      growBox(whole, batch.geometry!.box());
    },
    close() {
      const meets = !isEmptyBox(whole) && boxesMeet(whole, area.box);
      const findings: Finding[] = [];
      if (all === 0)
        findings.push({
          code: 'layer-empty',
          severity: 'warning',
          layer: layer.name,
          words: `The layer ${layer.name} has no features.`,
        });
      else if (!meets) {
        findings.push({
          code: 'layer-misses-area',
          severity: 'error',
          layer: layer.name,
          at: isEmptyBox(whole) ? undefined : [whole[0], whole[1]],
          words: `The layer ${layer.name} lies nowhere near the study area: its extent is ${whole.map((v) => v.toPrecision(8)).join(', ')}.`,
          repair: 'look at its CRS: it is probably another one than it says',
        });
      }
      return {
        findings,
        sentence: `Area: ${layer.name} ${all === 0 ? 'has no features' : meets ? 'meets the study area' : 'misses the study area'}.`,
      };
    },
  };
}

/** Runs checks over a table in one reading. */
export async function runChecks(
  table: Table,
  checks: readonly Check[],
): Promise<{ findings: Finding[]; sentences: string[] }> {
  for await (const batch of table.batches()) for (const check of checks) check.see(batch);
  const closed = checks.map((check) => check.close());
  return {
    findings: closed.flatMap((result) => result.findings),
    sentences: closed.map((result) => result.sentence),
  };
}
