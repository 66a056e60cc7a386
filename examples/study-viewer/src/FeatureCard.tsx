import type { Picked } from './drawing.ts';
import { cellOf, idOf, type ShownLayer } from './layers.ts';

/** All that is known of one feature. */
export function FeatureCard({ layer, picked }: { layer: ShownLayer | undefined; picked: Picked | null }) {
  return (
    <>
      <h2>Feature</h2>
      {layer === undefined || picked === null ? (
        <p className="quiet">Click the map or a row.</p>
      ) : (
        <dl data-testid="feature">
          <dt>layer</dt>
          <dd>
            {picked.layer}, feature {idOf(layer, picked.feature)}
          </dd>
          {layer.info.schema.map((field, c) => (
            <div key={field.name}>
              <dt>{field.title ?? field.name}</dt>
              <dd>{String(cellOf(layer, picked.feature, c) ?? '–')}</dd>
            </div>
          ))}
        </dl>
      )}
    </>
  );
}
