import { closeAccount, counted } from '../../account.ts';
import type { Batch } from '../batch.ts';
import { concatenate } from '../concatenate.ts';
import type { Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Two hashes of 32 bits that are mixed value by value (after FNV-1a, turned between the values). */
class Fingerprint {
  private a = 0x811c9dc5;
  private b = 0x9e3779b9;

  start(): void {
    this.a = 0x811c9dc5;
    this.b = 0x9e3779b9;
  }

  add(value: number): void {
    // The topmost bits of coordinates (their signs) must reach all others.
    this.a = Math.imul(((this.a << 15) | (this.a >>> 17)) ^ value, 0x01000193);
    this.b = Math.imul(((this.b << 7) | (this.b >>> 25)) ^ value, 0x85ebca6b);
  }

  text(text: string): void {
    this.add(text.length);
    for (let k = 0; k < text.length; k++) this.add(text.charCodeAt(k));
  }

  get key(): string {
    return `${this.a >>> 0}.${this.b >>> 0}`;
  }
}

const print = new Fingerprint();

/** Kind, structure and every bit of the coordinates of feature i. */
function shapeKey({ geometry }: Batch, i: number): string {
  print.start();
  if (geometry === null) return print.key;
  const { partStart, ringStart, vertexStart, xy, z } = geometry;
  print.add(geometry.kind[i]);
  for (let p = partStart[i]; p < partStart[i + 1]; p++) {
    print.add(-1);
    for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
      print.add(vertexStart[r + 1] - vertexStart[r]);
      const bits = new Uint32Array(
        xy.buffer,
        xy.byteOffset + vertexStart[r] * 16,
        (vertexStart[r + 1] - vertexStart[r]) * 4,
      );
      for (let k = 0; k < bits.length; k++) print.add(bits[k]);
      if (z !== null) for (let v = vertexStart[r]; v < vertexStart[r + 1]; v++) print.text(String(z[v]));
    }
  }
  return print.key;
}

function fieldsKey(batch: Batch, i: number): string {
  print.start();
  for (const column of batch.columns) print.text(column.text(i) ?? '\u0000');
  return print.key;
}

/**
 * Pieces of one area whose features have no ids, one after the other: what stands in several pieces with the same
 * geometry and fields is one feature, as often as it stands in one piece alone. What has the same geometry and other
 * fields stays, and is told: nobody can say whether it is one.
 */
export function onceAcross<T extends Table>(name: string, parts: readonly T[]): T {
  return applyVerb('Once', concatenate(name, parts), {
    async *run(account) {
      // Which piece a batch is of: it is asked for between one batch and the next.
      let current = 0;
      const marked = parts.map((part, number) => ({
        ...part,
        async *batches() {
          for await (const batch of part.batches()) {
            current = number;
            yield batch;
          }
        },
      }));
      /** How often a feature came in one piece at the most. */
      const most = new Map<string, number>();
      let here = new Map<string, number>();
      const shapes = new Map<string, string>();
      let piece = 0;
      let all = 0;
      let twice = 0;
      let unlike = 0;
      for await (const batch of concatenate(name, marked).batches()) {
        if (current !== piece) {
          for (const [key, times] of here) most.set(key, Math.max(times, most.get(key) ?? 0));
          here = new Map();
          piece = current;
        }
        const kept: number[] = [];
        for (let i = 0; i < batch.length; i++) {
          const shape = shapeKey(batch, i);
          const key = `${shape} ${fieldsKey(batch, i)}`;
          const times = (here.get(key) ?? 0) + 1;
          here.set(key, times);
          if (times <= (most.get(key) ?? 0)) {
            twice++;
            continue;
          }
          const before = shapes.get(shape);
          if (before === undefined) shapes.set(shape, key);
          else if (before !== key && batch.geometry !== null) unlike++;
          kept.push(i);
        }
        all += batch.length;
        if (kept.length === batch.length) yield batch;
        else if (kept.length > 0) yield batch.take(kept);
      }
      account.counts = { in: all, kept: all - twice, twice };
      account.findings.push({
        code: 'pieces-without-ids',
        severity: unlike > 0 ? 'warning' : 'note',
        layer: name,
        words: `${name} came in ${parts.length} pieces without ids: features with the same geometry and fields were taken for one${unlike === 0 ? '' : `; ${counted(unlike, 'has', 'have')} the geometry of another and other fields, and stayed`}. What a provider cuts at the border of a piece cannot be told.`,
        repair: 'order in a form that has ids, or dissolve by a code',
      });
      account.closed = true;
      if (twice === 0) return;
      closeAccount(
        account,
        [all, `${name} in`],
        [all - twice, 'kept'],
        [twice, 'left out that came in another piece with the same geometry and fields'],
      );
    },
  });
}
