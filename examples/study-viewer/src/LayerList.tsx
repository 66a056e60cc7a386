import { Checkbox } from '@mantine/core';
import type { ShownLayer } from './layers.ts';

interface Props {
  layers: readonly ShownLayer[];
  /** Name of the layer whose table is shown. */
  current: string | null;
  onShow(layer: ShownLayer, visible: boolean): void;
  onChoose(name: string): void;
}

/** All layers: shown or not, and which of them has its table below the map. */
export function LayerList({ layers, current, onShow, onChoose }: Props) {
  return (
    <ul className="layers">
      {layers.map((layer) => (
        <li key={layer.info.name} className={layer.info.name === current ? 'current' : undefined}>
          <Checkbox
            size="xs"
            aria-label={`Show ${layer.info.name}`}
            checked={layer.visible}
            disabled={!layer.info.hasGeometry}
            onChange={(event) => onShow(layer, event.currentTarget.checked)}
          />
          <button type="button" onClick={() => onChoose(layer.info.name)}>
            <i style={{ background: layer.colour }} />
            {layer.info.name}
            <em>{layer.info.count.toLocaleString('en')}</em>
          </button>
        </li>
      ))}
    </ul>
  );
}
