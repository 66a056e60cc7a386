import { grouped } from '../core/account.ts';
import type { EstimateLine } from '../study/gathering/estimate.ts';
import { type Output, textTable } from './output.ts';
import { bytesText, timeText } from './progress.ts';

const unknown = '?';

/** What gathering would take, a line an order, with what must be known besides. */
export function printEstimates(output: Output, lines: readonly EstimateLine[]): void {
  const { colours } = output;
  output.line();
  const rows = textTable(
    ['dataset', 'source', 'features', 'outside', 'size', 'requests', 'time'],
    lines.map((line) => [
      line.datasets.join(', '),
      line.source,
      line.features === undefined ? unknown : grouped(line.features),
      line.outside === undefined ? unknown : grouped(line.outside),
      line.bytes === undefined ? unknown : bytesText(line.bytes),
      line.requests === undefined ? unknown : grouped(line.requests),
      line.seconds === undefined ? unknown : timeText(line.seconds),
    ]),
    [false, false, true, true, true, true, true],
    30,
  );
  for (const [k, row] of rows.entries()) output.line(k === 0 ? colours.dim(row) : row);
  output.line(
    colours.dim('outside: features of the collection outside the box of the area, which stay there'),
  );
  for (const line of lines) {
    const notes = [...line.notes, ...(line.trouble === undefined ? [] : [colours.redBright(line.trouble)])];
    if (notes.length === 0) continue;
    output.line(`\n${colours.bold(line.datasets.join(', '))} from ${line.source}`);
    for (const note of notes) output.line(`  ${note}`);
  }
}
