import { type ObjectKind, objectKinds } from '../reading/primitives.ts';
import { isTelling } from '../tags/conventions.ts';
import type { TagList } from '../tags/tag-list.ts';

/** A tag on objects that no rule knows. */
export interface UnclassifiedTag {
  key: string;
  /** Blank: objects with values that hardly ever come twice. */
  value: string;
  count: number;
  kinds: Record<ObjectKind, number>;
}

/** Values of a key that are counted one by one; from then on new ones count for the key alone. */
const mostValues = 500;

interface KeyCount {
  values: Map<string, number[]>;
  rest: number[];
}

/** Counts what the tags of unclassified objects say, so that the next rule is obvious. */
export class UnclassifiedTags {
  /** Objects counted. */
  objects = 0;
  private readonly keys = new Map<string, KeyCount>();

  add(tags: TagList, object: number): void {
    this.objects++;
    for (const [key, value] of tags.pairs()) {
      if (!isTelling(key)) continue;
      let counts = this.keys.get(key);
      if (counts === undefined) {
        if (this.keys.size >= 20_000) continue;
        counts = { values: new Map(), rest: [0, 0, 0] };
        this.keys.set(key, counts);
      }
      let kinds = counts.values.get(value);
      if (kinds === undefined) {
        kinds = counts.values.size < mostValues ? [0, 0, 0] : counts.rest;
        if (kinds !== counts.rest) counts.values.set(value, kinds);
      }
      kinds[object]++;
    }
  }

  /** Most frequent first. */
  list(): UnclassifiedTag[] {
    const all: UnclassifiedTag[] = [];
    const put = (key: string, value: string, kinds: readonly number[]) => {
      const count = kinds[0] + kinds[1] + kinds[2];
      if (count === 0) return;
      all.push({
        key,
        value,
        count,
        kinds: Object.fromEntries(objectKinds.map((kind, k) => [kind, kinds[k]])) as Record<
          ObjectKind,
          number
        >,
      });
    };
    for (const [key, { values, rest }] of this.keys) {
      const total = [0, 1, 2].map(
        (k) => rest[k] + [...values.values()].reduce((sum, kinds) => sum + kinds[k], 0),
      );
      // A key whose values are nearly all different says more without them.
      if (values.size > 20 && values.size > (total[0] + total[1] + total[2]) / 2) {
        put(key, '', total);
        continue;
      }
      for (const [value, kinds] of values) put(key, value, kinds);
      put(key, '', rest);
    }
    return all.sort((a, b) => b.count - a.count || (a.key + a.value < b.key + b.value ? -1 : 1));
  }
}
