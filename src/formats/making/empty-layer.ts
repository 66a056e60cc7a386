import { wgs84 } from '../../core/crs/registry.ts';
import type { Finding } from '../../core/findings.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { baseName } from '../opening/names.ts';
import { layerEmpty } from './layer-findings.ts';

/** The layer of a file of recorded positions that holds none: named for the file, and told. */
export function emptyRecord(file: string, findings: readonly Finding[] = []): Layer {
  const name = baseName(file);
  return {
    name,
    schema: [],
    crs: wgs84(),
    kinds: [],
    count: 0,
    findings: [...findings, layerEmpty(file, name)],
    accounts: [],
    async *batches() {},
  };
}
