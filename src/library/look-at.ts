import { type ByteSource, surroundingsOf } from '../formats/bytes/byte-source.ts';
import { type Contents, lookAmong, lookInside } from '../formats/opening/contents.ts';
import type { Capabilities } from '../formats/register.ts';
import type { Reading } from './host.ts';

/** What is among files in memory: one by itself, or several that may belong together. */
export async function lookAtSources(
  sources: readonly ByteSource[],
  { sqlite, watch = (source) => source, ...reading }: Reading,
  capabilities: Capabilities,
): Promise<Contents> {
  const context = {
    ...reading,
    capabilities: sqlite === undefined ? capabilities : { ...capabilities, sqlite },
  };
  const watched = sources.map(watch);
  const around = surroundingsOf(new Map(watched.map((each) => [each.name, each])));
  if (watched.length > 1) return lookAmong(around, await around.list(), context);
  return lookInside(watched[0], { ...context, around: null, path: watched[0].name });
}
