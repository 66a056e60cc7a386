/** One measurement beside its floor: the best of several rounds each, taken in turn, in the same process. */
export interface Measured {
  name: string;
  floorName: string;
  floor: number;
  ours: number;
  /** What was worked on: `1,000,000 points`. */
  size: string;
  /** The ratio that is asked for. */
  aim: number;
}

async function timed(work: () => unknown): Promise<number> {
  const from = performance.now();
  await work();
  return performance.now() - from;
}

export async function beside(
  name: string,
  size: string,
  aim: number,
  floorName: string,
  floor: () => unknown,
  ours: () => unknown,
  rounds = 7,
): Promise<Measured> {
  let bestFloor = Infinity;
  let bestOurs = Infinity;
  globalThis.gc?.();
  for (let k = 0; k < rounds; k++) {
    bestFloor = Math.min(bestFloor, await timed(floor));
    bestOurs = Math.min(bestOurs, await timed(ours));
  }
  return { name, floorName, floor: bestFloor, ours: bestOurs, size, aim };
}

export function lineOf(m: Measured): string {
  const ratio = m.ours / m.floor;
  return `${m.name.padEnd(22)} ${m.size.padEnd(34)} floor ${m.floor.toFixed(0).padStart(6)} ms (${m.floorName})  ours ${m.ours.toFixed(0).padStart(6)} ms  ratio ${ratio.toFixed(2).padStart(5)}  asked ≤ ${m.aim}${ratio <= m.aim ? '' : '  NOT MET'}`;
}
