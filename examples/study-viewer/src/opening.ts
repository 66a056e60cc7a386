import type { Remote } from 'comlink';
import type { Finding } from 'isomeric';
import { Batch } from 'isomeric/core';
import { useCallback, useEffect, useRef, useState } from 'react';
import { kindOf, plainColours, type ShownLayer } from './layers.ts';
import type { ReaderApi } from './reader.worker.ts';

/** `16 layers, 3,821 features; 2 tables, 129 rows.` */
function countWords(shown: readonly ShownLayer[]): string {
  const words = (some: readonly ShownLayer[], one: string, many: string, rows: string) =>
    `${some.length} ${some.length === 1 ? one : many}, ${some.reduce((sum, layer) => sum + layer.info.count, 0).toLocaleString('en')} ${rows}`;
  const layers = shown.filter((layer) => layer.info.hasGeometry);
  const tables = shown.filter((layer) => !layer.info.hasGeometry);
  const parts = [
    ...(layers.length > 0 || tables.length === 0 ? [words(layers, 'layer', 'layers', 'features')] : []),
    ...(tables.length > 0 ? [words(tables, 'table', 'tables', 'rows')] : []),
  ];
  return `${parts.join('; ')}.`;
}

/** Reads files in the worker; each layer with the numbers that its batches begin with. */
async function shownLayers(reader: Remote<ReaderApi>, files: File[]): Promise<ShownLayer[]> {
  const shown: ShownLayer[] = [];
  for (const [k, info] of (await reader.open(files)).entries()) {
    const batches = (await reader.batches(info.name)).map((buffers) => Batch.fromTransfer(buffers));
    let before = 0;
    const starts = batches.map((batch) => {
      const start = before;
      before += batch.length;
      return start;
    });
    shown.push({
      info,
      batches,
      starts,
      kind: kindOf(batches),
      visible: info.hasGeometry,
      colour: /water|river|canal/i.test(info.name) ? '#2f74a8' : plainColours[k % plainColours.length],
    });
  }
  return shown;
}

async function fetched(address: string): Promise<File> {
  const response = await fetch(address);
  if (!response.ok) throw new Error(`${address}: the server answers ${response.status}.`);
  return new File([await response.blob()], address.slice(address.lastIndexOf('/') + 1));
}

/** What is open, and how to open more: files that are dropped or chosen, and those that the address names. */
export function useOpened(reader: Remote<ReaderApi>) {
  const [layers, setLayers] = useState<ShownLayer[]>([]);
  const [findings, setFindings] = useState<Finding[]>([]);
  const [state, setState] = useState('Open a delivered GeoPackage, or drop files here.');
  const loading = useRef(false);

  const open = useCallback(
    async (files: File[]) => {
      setState(`Reading ${files.map((file) => file.name).join(', ')} …`);
      try {
        const lists = files.filter((file) => file.name.endsWith('findings.json'));
        for (const file of lists) setFindings(JSON.parse(await file.text()) as Finding[]);
        const others = files.filter((file) => !lists.includes(file));
        if (others.length === 0) return;
        const shown = await shownLayers(reader, others);
        setLayers(shown);
        setFindings((now) => [...now, ...shown.flatMap(({ info }) => info.findings)]);
        setState(countWords(shown));
      } catch (error) {
        setState((error as Error).message);
      }
    },
    [reader],
  );

  // ?open=study.gpkg&open=findings.json: files beside the page.
  useEffect(() => {
    const wanted = new URLSearchParams(window.location.search).getAll('open');
    if (wanted.length === 0 || loading.current) return;
    loading.current = true;
    Promise.all(wanted.map(fetched)).then(open, (error: Error) => setState(error.message));
  }, [open]);

  return { layers, setLayers, findings, state, open };
}
