import { TextInput } from '@mantine/core';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { Picked } from './drawing.ts';
import { cellOf, type ShownLayer } from './layers.ts';

interface Props {
  layer: ShownLayer;
  picked: Picked | null;
  filter(where: string): Promise<Uint32Array>;
  onKept(features: Uint32Array | null): void;
  onPick(picked: Picked): void;
}

type Sort = { column: number; descending: boolean } | null;

function text(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'number' && !Number.isInteger(value)) return value.toFixed(2);
  return typeof value === 'object' ? JSON.stringify(value) : String(value);
}

/** The features of one layer as rows: only those in sight exist; sorted by a click, filtered by a CQL2 condition. */
export function FeatureTable({ layer, picked, filter, onKept, onPick }: Props) {
  const [where, setWhere] = useState('');
  const [mistake, setMistake] = useState<string | null>(null);
  const [kept, setKept] = useState<Uint32Array | null>(null);
  const [sort, setSort] = useState<Sort>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const { schema, count, name } = layer.info;

  // biome-ignore lint/correctness/useExhaustiveDependencies: another layer, another table
  useEffect(() => {
    setWhere('');
    setKept(null);
    setSort(null);
    setMistake(null);
    onKept(null);
  }, [name]);

  const apply = async (condition: string) => {
    if (condition.trim() === '') {
      setKept(null);
      onKept(null);
      setMistake(null);
      return;
    }
    try {
      const features = await filter(condition);
      setKept(features);
      onKept(features);
      setMistake(null);
    } catch (error) {
      setMistake((error as Error).message.split('\n')[0]);
    }
  };

  const order = useMemo(() => {
    const features = kept === null ? Array.from({ length: count }, (_, k) => k) : Array.from(kept);
    if (sort === null) return features;
    const keys = new Map(features.map((feature) => [feature, cellOf(layer, feature, sort.column)]));
    const sign = sort.descending ? -1 : 1;
    return features.sort((a, b) => {
      const x = keys.get(a);
      const y = keys.get(b);
      if (x === null || y === null || x === undefined || y === undefined)
        return x === y ? a - b : x === null ? 1 : -1;
      return (
        sign *
          (typeof x === 'string'
            ? x.localeCompare(String(y), 'en', { numeric: true })
            : Number(x) - Number(y)) || a - b
      );
    });
  }, [layer, kept, sort, count]);

  const rows = useVirtualizer({
    count: order.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 28,
    overscan: 8,
  });

  useEffect(() => {
    if (picked === null || picked.layer !== name) return;
    const at = order.indexOf(picked.feature);
    if (at >= 0) rows.scrollToIndex(at, { align: 'auto' });
  }, [picked, order, name, rows]);

  // Fixed widths, so that the head and all rows agree.
  const widths = schema.map((field) =>
    field.type === 'text' ? 130 : Math.max(84, 10 + 7.4 * field.name.length),
  );
  const columns = `48px ${widths.map((width) => `${width}px`).join(' ')}`;
  const isNumber = (c: number) => schema[c].type === 'integer' || schema[c].type === 'real';
  return (
    <section className="table" aria-label={`Features of ${name}`}>
      <div className="table-head">
        <strong>{name}</strong>
        <span data-testid="row-count">
          {order.length.toLocaleString('en')} of {count.toLocaleString('en')} features
        </span>
        <TextInput
          aria-label="Condition"
          placeholder="Condition, for example: no_car_share > 40 AND name LIKE '%ford'"
          size="xs"
          value={where}
          error={mistake}
          onChange={(event) => setWhere(event.currentTarget.value)}
          onKeyDown={(event) => {
            if (event.key === 'Enter') void apply(where);
          }}
          style={{ flex: 1 }}
        />
      </div>
      <div className="grid" ref={scroller}>
        <div className="row header" style={{ gridTemplateColumns: columns }}>
          <span className="number">no.</span>
          {schema.map((field, c) => (
            <button
              key={field.name}
              type="button"
              className={isNumber(c) ? 'number' : undefined}
              title={field.title ?? field.name}
              onClick={() =>
                setSort(
                  sort?.column === c
                    ? sort.descending
                      ? null
                      : { column: c, descending: true }
                    : { column: c, descending: false },
                )
              }
            >
              {field.name}
              {sort?.column === c ? (sort.descending ? ' ▾' : ' ▴') : ''}
            </button>
          ))}
        </div>
        <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
          {rows.getVirtualItems().map((item) => {
            const feature = order[item.index];
            const chosen = picked !== null && picked.layer === name && picked.feature === feature;
            return (
              <button
                key={item.key}
                type="button"
                className={chosen ? 'row chosen' : 'row'}
                style={{
                  gridTemplateColumns: columns,
                  position: 'absolute',
                  top: item.start,
                  height: item.size,
                }}
                onClick={() => onPick({ layer: name, feature })}
              >
                <span className="number">{feature + 1}</span>
                {schema.map((field, c) => (
                  <span key={field.name} className={isNumber(c) ? 'number' : undefined}>
                    {text(cellOf(layer, feature, c))}
                  </span>
                ))}
              </button>
            );
          })}
        </div>
      </div>
    </section>
  );
}
