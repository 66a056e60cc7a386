import { listed } from '../../core/account.ts';
import type { Finding } from '../../core/findings.ts';
import { shareWithinBox } from '../../core/geometry/box-share.ts';
import { type Box, emptyBox, growBox } from '../../core/geometry/geometry-array.ts';
import type { Layer } from '../../core/layer/layer.ts';
import type { StudyArea } from './area.ts';

/** What was seen of one dataset, before it was cut to the area: how far it reaches, and of how many features. */
interface Seen {
  box: Box;
  features: number;
}

/** Less than this of the area without anything is not told. */
const slight = 0.05;

/**
 * Looks whether what was gathered ends within the study area: a layer that does looks right on a map, and is not.
 * What comes from the same files reaches as far as all of it together.
 */
export class Coverage {
  private readonly seen = new Map<string, Seen>();
  private readonly together = new Map<string, string>();

  /** The same layer, looked at while it flows. `files` says which datasets come from the same ones. */
  watch(layer: Layer, files: readonly string[]): Layer {
    const { seen, together } = this;
    const { name } = layer;
    together.set(name, files.join('\n'));
    return {
      ...layer,
      async *batches(options) {
        const own: Seen = { box: emptyBox(), features: 0 };
        for await (const batch of layer.batches(options)) {
          growBox(own.box, batch.geometry!.box());
          own.features += batch.length;
          yield batch;
        }
        const before = seen.get(name);
        if (before === undefined || own.features >= before.features) seen.set(name, own);
      },
    };
  }

  /** What was seen of a dataset, to be remembered; undefined where it was not looked at. */
  seenOf(name: string): { box: number[]; features: number; files: string } | undefined {
    const seen = this.seen.get(name);
    return seen === undefined || seen.features === 0
      ? undefined
      : { box: [...seen.box], features: seen.features, files: this.together.get(name) ?? '' };
  }

  /** Takes what was seen of a dataset in an earlier run. */
  remember(name: string, { box, features, files }: { box: number[]; features: number; files: string }): void {
    this.together.set(name, files);
    this.seen.set(name, { box: box as unknown as Box, features });
  }

  /** Datasets that end within the area, with the share of it that they reach. */
  findings({ area }: StudyArea): Finding[] {
    const findings: Finding[] = [];
    for (const [name, { features }] of this.seen) {
      if (features === 0) continue;
      const all: Seen = { box: emptyBox(), features: 0 };
      for (const [other, each] of this.seen) {
        if (this.together.get(other) !== this.together.get(name)) continue;
        growBox(all.box, each.box);
        all.features += each.features;
      }
      const share = shareWithinBox(area.geometry, all.box);
      if (1 - share <= Math.max(slight, 2.5 * gapByChance(all.features))) continue;
      findings.push({
        code: 'source-ends',
        severity: 'warning',
        layer: name,
        words: `What was gathered of ${name} ends within the study area: it reaches ${percent(share)} of it, and nothing lies ${sidesWithout(all.box, area.box)}.`,
        repair: 'gather it for the whole area, or choose a smaller one',
      });
    }
    return findings;
  }
}

const percent = (share: number) => `${Math.max(share > 0 ? 1 : 0, Math.round(share * 100))} %`;

/**
 * The part of an area that is expected to lie outside the box of `count` things strewn over it by chance: their extent in
 * one direction is (n − 1) / (n + 1) of the whole (David and Nagaraja, Order Statistics, 2.3).
 */
export function gapByChance(count: number): number {
  return 1 - ((count - 1) / (count + 1)) ** 2;
}

/** `in the north and east`: sides of the area which a box does not reach; what is little beside the others is not named. */
function sidesWithout(box: Box, area: Box): string {
  const [width, height] = [area[2] - area[0], area[3] - area[1]];
  const gaps: [string, number][] = [
    ['north', (area[3] - box[3]) / height],
    ['east', (area[2] - box[2]) / width],
    ['south', (box[1] - area[1]) / height],
    ['west', (box[0] - area[0]) / width],
  ];
  const greatest = Math.max(...gaps.map(([, gap]) => gap));
  return `in the ${listed(gaps.filter(([, gap]) => gap >= greatest / 2).map(([side]) => side))}`;
}
