import type { ExtractObject, ExtractObjects } from './objects.ts';

const escaped = (text: string) =>
  text.replace(
    /[&<>"\n\t]/g,
    (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c] ?? `&#${c.charCodeAt(0)};`,
  );

function attributes(object: ExtractObject): string {
  let text = ` id="${object.id}"`;
  if (object.version !== undefined) text += ` version="${object.version}"`;
  if (object.time !== undefined)
    text += ` timestamp="${new Date(object.time).toISOString().replace('.000Z', 'Z')}"`;
  if (object.changeset !== undefined) text += ` changeset="${object.changeset}"`;
  if (object.editorId !== undefined) text += ` uid="${object.editorId}"`;
  if (object.editor !== undefined) text += ` user="${escaped(object.editor)}"`;
  return text;
}

function tagsOf(object: ExtractObject): string {
  return Object.entries(object.tags ?? {})
    .map(([key, value]) => `    <tag k="${escaped(key)}" v="${escaped(value)}"/>\n`)
    .join('');
}

/** OSM XML (API 0.6). */
export function* xmlPieces(objects: ExtractObjects, writer = 'Teskaria'): Generator<string> {
  yield `<?xml version="1.0" encoding="UTF-8"?>\n<osm version="0.6" generator="${escaped(writer)}">\n`;
  for (const node of objects.nodes) {
    const head = `  <node${attributes(node)} lat="${node.lat}" lon="${node.lon}"`;
    const tags = tagsOf(node);
    yield tags === '' ? `${head}/>\n` : `${head}>\n${tags}  </node>\n`;
  }
  for (const way of objects.ways)
    yield `  <way${attributes(way)}>\n${way.nodes.map((ref) => `    <nd ref="${ref}"/>\n`).join('')}${tagsOf(way)}  </way>\n`;
  for (const relation of objects.relations)
    yield `  <relation${attributes(relation)}>\n${relation.members
      .map(
        (member) => `    <member type="${member.kind}" ref="${member.id}" role="${escaped(member.role)}"/>\n`,
      )
      .join('')}${tagsOf(relation)}  </relation>\n`;
  yield '</osm>\n';
}

export function osmXml(objects: ExtractObjects): string {
  return [...xmlPieces(objects)].join('');
}
