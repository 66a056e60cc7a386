import { NumberInput, SegmentedControl, Select } from '@mantine/core';
import {
  type ClassMethod,
  classify,
  classMethods,
  classOf,
  limitTexts,
  rampColours,
  rampNames,
} from 'isomeric/core';
import { useEffect, useMemo, useState } from 'react';
import { locate, type Shaded, type ShownLayer } from './layers.ts';

interface Props {
  layers: readonly ShownLayer[];
  onShaded(shaded: Shaded | null): void;
}

/** Chooses what is mapped, how it is divided into classes, and in which colours; the map follows at once. */
export function StylePanel({ layers, onShaded }: Props) {
  const areas = layers.filter(
    (layer) =>
      layer.kind === 'area' &&
      layer.info.schema.some((field) => field.type === 'integer' || field.type === 'real'),
  );
  const [layerName, setLayerName] = useState<string | null>(null);
  const [fieldName, setFieldName] = useState<string | null>(null);
  const [method, setMethod] = useState<ClassMethod>('natural');
  const [count, setCount] = useState(5);
  const [ramp, setRamp] = useState('lagoon');
  const layer = areas.find((each) => each.info.name === layerName) ?? areas[0];
  const numbers = useMemo(
    () => layer?.info.schema.filter((field) => field.type === 'integer' || field.type === 'real') ?? [],
    [layer],
  );
  // Shares come first: they may be mapped as they are.
  const field =
    numbers.find((each) => each.name === fieldName) ??
    numbers.find((each) => each.type === 'real') ??
    numbers[0];

  const result = useMemo(() => {
    if (layer === undefined || field === undefined) return null;
    const column = layer.info.schema.indexOf(field);
    const values = Float64Array.from({ length: layer.info.count }, (_, feature) => {
      const { batch, i } = locate(layer, feature);
      return batch.columns[column].number(i);
    });
    const classes = classify(values, method, count);
    const colours = rampColours(ramp, Math.max(0, classes.breaks.length - 1));
    const own = Int8Array.from(values, (value) => classOf(classes, value));
    return { classes, colours, own };
  }, [layer, field, method, count, ramp]);

  useEffect(() => {
    onShaded(
      result === null || layer === undefined
        ? null
        : { layer: layer.info.name, classOf: result.own, colours: result.colours },
    );
  }, [result, layer, onShaded]);

  if (layer === undefined || field === undefined || result === null)
    return <p className="quiet">No areas with numbers to colour.</p>;
  const limits = limitTexts(result.classes.breaks);
  const limit = (k: number) => limits[k];
  return (
    <div className="style">
      <Select
        label="Layer"
        size="xs"
        data={areas.map((each) => each.info.name)}
        value={layer.info.name}
        onChange={setLayerName}
        allowDeselect={false}
      />
      <Select
        label="Colour by"
        size="xs"
        data={numbers.map((each) => ({ value: each.name, label: each.title ?? each.name }))}
        value={field.name}
        onChange={setFieldName}
        allowDeselect={false}
      />
      <SegmentedControl
        aria-label="Way of dividing"
        size="xs"
        fullWidth
        data={classMethods.map((each) => ({ value: each, label: each }))}
        value={method}
        onChange={(value) => setMethod(value as ClassMethod)}
      />
      <div className="pair">
        <NumberInput
          label="Classes"
          size="xs"
          min={2}
          max={9}
          value={count}
          onChange={(value) => setCount(Math.min(9, Math.max(2, Number(value) || 5)))}
        />
        <Select
          label="Colours"
          size="xs"
          data={[...rampNames]}
          value={ramp}
          onChange={(value) => setRamp(value ?? 'lagoon')}
          allowDeselect={false}
        />
      </div>
      <ul className="legend" data-testid="legend">
        {result.colours.map((colour, k) => (
          <li key={`${colour}-${result.classes.breaks[k]}`}>
            <i style={{ background: colour }} />
            {k === 0 ? '' : 'over '}
            {limit(k)} – {limit(k + 1)}
            <em>{result.own.filter((each) => each === k).length}</em>
          </li>
        ))}
        {result.own.some((each) => each < 0) && (
          <li>
            <i style={{ background: '#d9d9d5' }} />
            no value
            <em>{result.own.filter((each) => each < 0).length}</em>
          </li>
        )}
      </ul>
    </div>
  );
}
