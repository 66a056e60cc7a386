import { dimensionOf, emptyBox, type GeometryArray } from '../../geometry/geometry-array.ts';
import { planarArea } from '../../geometry/measures.ts';
import { KeyIndex } from '../../table/keys/key-index.ts';
import type { KeyReader, Rows } from '../../table/keys/key-reader.ts';
import type { HeldTable } from './held-table.ts';

/** Goes along the features and finds their keys in a held table; counts what found none, for the account. */
export class Matching {
  /** How many features each key went to. */
  readonly used: Uint32Array;
  /** Only the keys that found nothing: they are what a repair could help. */
  readonly lonely = new KeyIndex();
  all = 0;
  matched = 0;
  blank = 0;
  /** About how much of the ground the features cover, and those that found a row: of one measure, whichever it is. */
  ground = 0;
  groundMatched = 0;

  constructor(
    private readonly held: HeldTable,
    private readonly reader: KeyReader,
    /** Keys that stand for another: names that are near. */
    private readonly instead: ReadonlyMap<string, number> | null,
    private readonly inDegrees: boolean | null,
  ) {
    this.used = new Uint32Array(held.index.size);
  }

  /** Number of the key of each feature of a batch; −1 for none. */
  keysFor(batch: Rows & { geometry: GeometryArray | null }): Int32Array {
    const { index } = this.held;
    const keys = new Int32Array(batch.length).fill(-1);
    this.reader.each(batch, (i, bytes, start, end) => {
      if (bytes === null || start === end) {
        this.blank++;
        return;
      }
      let key = index.get(bytes, start, end);
      if (key < 0) {
        const alone = this.lonely.add(bytes, start, end, this.all + i);
        key = this.instead?.get(this.lonely.text(alone)) ?? -1;
        if (key < 0) return;
      }
      this.used[key]++;
      this.matched++;
      keys[i] = key;
    });
    this.all += batch.length;
    this.cover(batch.geometry, keys);
    return keys;
  }

  /** Shares of areas need no more than about: in degrees, a degree of longitude is taken as long as it is in the middle of a feature. */
  private cover(geometry: GeometryArray | null, keys: Int32Array): void {
    if (geometry === null || this.inDegrees === null) return;
    const box = emptyBox();
    for (let i = 0; i < keys.length; i++) {
      if (dimensionOf(geometry.kind[i]) !== 2 || geometry.isEmpty(i)) continue;
      let area = planarArea(geometry, i);
      if (this.inDegrees) {
        geometry.boxOf(i, box);
        area *= Math.cos((((box[1] + box[3]) / 2) * Math.PI) / 180);
      }
      if (!Number.isFinite(area)) continue;
      this.ground += area;
      if (keys[i] >= 0) this.groundMatched += area;
    }
  }
}
