import { Button, FileButton } from '@mantine/core';
import * as Comlink from 'comlink';
import { useCallback, useMemo, useState } from 'react';
import type { Picked, Scene } from './drawing.ts';
import { FeatureCard } from './FeatureCard.tsx';
import { FeatureTable } from './FeatureTable.tsx';
import { FindingList } from './FindingList.tsx';
import { LayerList } from './LayerList.tsx';
import type { Shaded } from './layers.ts';
import { MapCanvas } from './MapCanvas.tsx';
import { useOpened } from './opening.ts';
import type { ReaderApi } from './reader.worker.ts';
import { StylePanel } from './StylePanel.tsx';

const reader = Comlink.wrap<ReaderApi>(
  new Worker(new URL('./reader.worker.ts', import.meta.url), { type: 'module' }),
);

export function App() {
  const { layers, setLayers, findings, state, open } = useOpened(reader);
  const [shaded, setShaded] = useState<Shaded | null>(null);
  const [picked, setPicked] = useState<Picked | null>(null);
  const [kept, setKept] = useState<Scene['kept']>(null);
  const [jump, setJump] = useState<Scene['jump']>(null);
  const [chosen, setChosen] = useState<string | null>(null);

  const tableOf = chosen ?? layers[0]?.info.name ?? null;
  const layerNamed = (name: string | undefined | null) => layers.find((layer) => layer.info.name === name);
  const table = layerNamed(tableOf);
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
        <LayerList
          layers={layers}
          current={tableOf}
          onShow={(layer, visible) =>
            setLayers((now) => now.map((each) => (each === layer ? { ...each, visible } : each)))
          }
          onChoose={setChosen}
        />
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
            if (next !== null) setChosen(next.layer);
          }}
        />
      </main>
      <aside className="right">
        <FeatureCard layer={layerNamed(picked?.layer)} picked={picked} />
        <FindingList
          findings={findings}
          onJump={(at) => setJump((before) => ({ at, times: (before?.times ?? 0) + 1 }))}
        />
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
