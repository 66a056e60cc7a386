import { Button, Checkbox, FileButton, ScrollArea } from '@mantine/core';
import * as Comlink from 'comlink';
import type { Finding } from 'isomeric';
import { Batch } from 'isomeric/core';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { FeatureTable } from './FeatureTable.tsx';
import { cellOf, idOf, kindOf, plainColours, type Shaded, type ShownLayer } from './layers.ts';
import { MapCanvas, type Picked } from './MapCanvas.tsx';
import type { ReaderApi } from './reader.worker.ts';
import { StylePanel } from './StylePanel.tsx';

const reader = Comlink.wrap<ReaderApi>(
  new Worker(new URL('./reader.worker.ts', import.meta.url), { type: 'module' }),
);

/** `14 layers, 3,818 features; 2 tables, 129 rows.` */
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

export function App() {
  const [layers, setLayers] = useState<ShownLayer[]>([]);
  const [findings, setFindings] = useState<Finding[]>([]);
  const [shaded, setShaded] = useState<Shaded | null>(null);
  const [picked, setPicked] = useState<Picked | null>(null);
  const [kept, setKept] = useState<{ layer: string; features: Set<number> } | null>(null);
  const [jump, setJump] = useState<{ at: [number, number]; times: number } | null>(null);
  const [tableOf, setTableOf] = useState<string | null>(null);
  const [state, setState] = useState('Open a delivered GeoPackage, or drop files here.');
  const loading = useRef(false);

  const open = useCallback(async (files: File[]) => {
    setState(`Reading ${files.map((file) => file.name).join(', ')} …`);
    try {
      const lists = files.filter((file) => file.name.endsWith('findings.json'));
      for (const file of lists) setFindings(JSON.parse(await file.text()) as Finding[]);
      const others = files.filter((file) => !lists.includes(file));
      if (others.length > 0) {
        const infos = await reader.open(others);
        const shown: ShownLayer[] = [];
        for (const [k, info] of infos.entries()) {
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
        setLayers(shown);
        setTableOf((now) => now ?? shown[0]?.info.name ?? null);
        setFindings((now) => [...now, ...infos.flatMap((info) => info.findings)]);
        setState(countWords(shown));
      }
    } catch (error) {
      setState((error as Error).message);
    }
  }, []);

  // ?open=study.gpkg&open=findings.json: files beside the page.
  useEffect(() => {
    const wanted = new URLSearchParams(window.location.search).getAll('open');
    if (wanted.length === 0 || loading.current) return;
    loading.current = true;
    void (async () => {
      try {
        const files = await Promise.all(
          wanted.map(async (address) => {
            const response = await fetch(address);
            if (!response.ok) throw new Error(`${address}: the server answers ${response.status}.`);
            return new File([await response.blob()], address.slice(address.lastIndexOf('/') + 1));
          }),
        );
        await open(files);
      } catch (error) {
        setState((error as Error).message);
      }
    })();
  }, [open]);

  const worst = useMemo(() => {
    const order = { error: 0, warning: 1, note: 2 };
    return [...findings].sort((a, b) => order[a.severity] - order[b.severity]);
  }, [findings]);
  const table = layers.find((layer) => layer.info.name === tableOf);
  const pickedLayer = picked === null ? undefined : layers.find((layer) => layer.info.name === picked.layer);
  const onKept = useCallback(
    (features: Uint32Array | null) =>
      setKept(features === null || tableOf === null ? null : { layer: tableOf, features: new Set(features) }),
    [tableOf],
  );
  const filter = useMemo(() => (where: string) => reader.filter(tableOf!, where), [tableOf]);

  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dropping files is one more way beside the button
    <div
      className="app"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        void open([...event.dataTransfer.files]);
      }}
    >
      <header>
        <h1>Study viewer</h1>
        <span data-testid="state" role="status">
          {state}
        </span>
        <FileButton multiple onChange={(files) => void open(files)}>
          {(props) => (
            <Button size="xs" {...props}>
              Open files
            </Button>
          )}
        </FileButton>
      </header>
      <aside className="left">
        <h2>Layers</h2>
        <ul className="layers">
          {layers.map((layer) => (
            <li key={layer.info.name} className={layer.info.name === tableOf ? 'current' : undefined}>
              <Checkbox
                size="xs"
                aria-label={`Show ${layer.info.name}`}
                checked={layer.visible}
                disabled={!layer.info.hasGeometry}
                onChange={(event) => {
                  const { checked } = event.currentTarget;
                  setLayers((now) =>
                    now.map((each) => (each === layer ? { ...each, visible: checked } : each)),
                  );
                }}
              />
              <button type="button" onClick={() => setTableOf(layer.info.name)}>
                <i style={{ background: layer.colour }} />
                {layer.info.name}
                <em>{layer.info.count.toLocaleString('en')}</em>
              </button>
            </li>
          ))}
        </ul>
        <h2>Colours</h2>
        <StylePanel layers={layers} onShaded={setShaded} />
      </aside>
      <main>
        <MapCanvas
          layers={layers}
          shaded={shaded}
          picked={picked}
          kept={kept}
          jump={jump}
          onPick={(next) => {
            setPicked(next);
            if (next !== null) setTableOf(next.layer);
          }}
        />
      </main>
      <aside className="right">
        <h2>Feature</h2>
        {pickedLayer === undefined || picked === null ? (
          <p className="quiet">Click the map or a row.</p>
        ) : (
          <dl data-testid="feature">
            <dt>layer</dt>
            <dd>
              {picked.layer}, feature {idOf(pickedLayer, picked.feature)}
            </dd>
            {pickedLayer.info.schema.map((field, c) => (
              <div key={field.name}>
                <dt>{field.title ?? field.name}</dt>
                <dd>{String(cellOf(pickedLayer, picked.feature, c) ?? '–')}</dd>
              </div>
            ))}
          </dl>
        )}
        <h2>
          Findings <em>{findings.length}</em>
        </h2>
        <ScrollArea className="findings">
          {findings.length === 0 && <p className="quiet">None.</p>}
          <ul data-testid="findings">
            {worst.map((finding, k) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the list never changes its order
              <li key={k}>
                <button
                  type="button"
                  disabled={finding.at === undefined}
                  onClick={() =>
                    finding.at !== undefined && setJump({ at: finding.at, times: (jump?.times ?? 0) + 1 })
                  }
                >
                  <b className={finding.severity}>{finding.severity}</b> {finding.layer ?? ''}
                  <span>{finding.words}</span>
                </button>
              </li>
            ))}
          </ul>
        </ScrollArea>
      </aside>
      <footer>
        {table === undefined ? (
          <p className="quiet">No table.</p>
        ) : (
          <FeatureTable layer={table} picked={picked} filter={filter} onKept={onKept} onPick={setPicked} />
        )}
      </footer>
    </div>
  );
}
