import type { ColumnBuilder } from '../../../core/table/column-builder.ts';
import type { Field } from '../../../core/table/schema.ts';
import type { Feature } from '../classes/feature-router.ts';
import { objectKinds } from '../reading/primitives.ts';

/** What is told of every object before its tags. */
export const objectFields: readonly Field[] = [
  { name: 'object', type: 'text', title: 'Kind of object' },
  { name: 'id', type: 'integer', title: 'Number of the object', role: 'code' },
];

/** What is told of its making, after the tags. */
export function versionFields(editors: boolean): Field[] {
  return [
    { name: 'version', type: 'integer', title: 'Version' },
    { name: 'time', type: 'timestamp', title: 'Last changed' },
    ...(editors
      ? ([
          { name: 'changeset', type: 'integer', title: 'Change set' },
          { name: 'editor_id', type: 'integer', title: 'Number of the editor' },
          { name: 'editor', type: 'text', title: 'Editor' },
        ] satisfies Field[])
      : []),
  ];
}

export const tagsField: Field = { name: 'tags', type: 'json', title: 'Other tags' };

const kindBytes = objectKinds.map((kind) => new TextEncoder().encode(kind));
/** `way/123` */
const idText = new Uint8Array(40);

/** Kind and number of the object into the first two columns, both together into the ids. */
export function putObject(columns: readonly ColumnBuilder[], ids: ColumnBuilder, feature: Feature): void {
  const kind = kindBytes[feature.object];
  columns[0].raw(kind, 0, kind.length);
  columns[1].number(feature.id);
  for (let i = 0; i < kind.length; i++) idText[i] = kind[i];
  idText[kind.length] = 47;
  let rest = Math.abs(feature.id);
  let from = idText.length;
  do {
    const tenth = Math.floor(rest / 10);
    idText[--from] = 48 + rest - 10 * tenth;
    rest = tenth;
  } while (rest > 0);
  let end = kind.length + 1;
  if (feature.id < 0) idText[end++] = 45;
  while (from < idText.length) idText[end++] = idText[from++];
  ids.raw(idText, 0, end);
}

/** Version, time and, when asked for, the editor, into columns from number `from` on. Returns the next number. */
export function putVersion(
  columns: readonly ColumnBuilder[],
  from: number,
  feature: Feature,
  editors: boolean,
): number {
  const { info, at } = feature;
  const number = (column: ColumnBuilder, value: number) =>
    value === 0 || Number.isNaN(value) ? column.null() : column.number(value);
  number(columns[from], info.version[at]);
  number(columns[from + 1], info.time[at]);
  if (!editors) return from + 2;
  number(columns[from + 2], info.changeset[at]);
  number(columns[from + 3], info.editorId[at]);
  if (info.editor[at] === 0) columns[from + 4].null();
  else feature.infoTexts.put(info.editor[at], columns[from + 4]);
  return from + 5;
}
