import type { DatasetRequest, DatasetSettings, GatheredDataset } from '../sources/gather-dataset.ts';

export type { DatasetRequest, DatasetSettings, GatheredDataset };

/**
 * Gathers one dataset of a service, without a study: an OGC API or Web Feature Service, statistics, files at an address, map
 * features. Its files are in memory, or in the store that the settings give.
 *
 * @throws IsomericError `source-unreachable`, `source-silent`, `collection-unknown`, and others of docs/codes.md → Gathering
 */
export async function gatherDataset(
  request: DatasetRequest,
  settings?: DatasetSettings,
): Promise<GatheredDataset> {
  // Protocols are loaded when one is asked: who opens files does not pay for them.
  const sources = await import('../sources/gather-dataset.ts');
  return sources.gatherDataset(request, settings);
}
