import picocolors from 'picocolors';
import { type Account, type Finding, grouped } from '../core/index.ts';
import type { Reporter } from '../study/machine.ts';
import { ProgressLines } from './progress.ts';
import { type Colours, colours, plain, terminalText, visibleInLine } from './terminal.ts';

/** How a command prints: for a person, or as one JSON document for a machine. */
export interface Output {
  json: boolean;
  colours: Colours;
  line(text?: string): void;
  /** To the error stream, so that results can be piped. */
  aside(text: string): void;
}

export function makeOutput(options: { json?: boolean; colour?: boolean }): Output {
  const wanted = options.colour !== false && picocolors.isColorSupported && !options.json;
  return {
    json: options.json === true,
    colours: wanted ? colours : plain,
    line: (text = '') => {
      process.stdout.write(`${terminalText(text, wanted)}\n`);
    },
    aside: (text) => {
      process.stderr.write(`${terminalText(text, wanted)}\n`);
    },
  };
}

/** The same, with all words on the error stream: standard output holds what was made. */
export function asideOnly(output: Output): Output {
  return { ...output, json: false, line: (text = '') => output.aside(text) };
}

/** JSON leaves the second set of controls as it is; a terminal would obey them. */
export function jsonForTerminal(text: string): string {
  return text.replace(/[\u007f-\u009f]/g, (c) => `\\u00${c.charCodeAt(0).toString(16)}`);
}

export function printJson(value: unknown): void {
  const text = JSON.stringify(value, (_, each) => (each instanceof Map ? Object.fromEntries(each) : each), 2);
  process.stdout.write(`${jsonForTerminal(text)}\n`);
}

/** `Clip: 48,210 …` with the verb set off. */
export function sentenceText(output: Output, sentence: string): string {
  const colon = sentence.indexOf(': ');
  return colon < 0 || colon > 20
    ? sentence
    : `${output.colours.bold(sentence.slice(0, colon + 1))}${sentence.slice(colon + 1)}`;
}

export function findingText(output: Output, finding: Finding): string {
  const { colours } = output;
  const paint =
    finding.severity === 'error'
      ? colours.redBright
      : finding.severity === 'warning'
        ? colours.yellow
        : colours.dim;
  const where = [
    finding.layer,
    finding.feature === undefined ? undefined : `feature ${finding.feature}`,
    finding.at === undefined
      ? undefined
      : `at ${finding.at.map((v) => Number(v.toPrecision(10))).join(', ')}`,
  ]
    .filter((part) => part !== undefined)
    .join(', ');
  return `${paint(finding.severity.padEnd(7))} ${where === '' ? '' : `${where}: `}${finding.words}${finding.repair === undefined ? '' : ` ${colours.dim(`Repair: ${finding.repair}.`)}`}`;
}

/** Prints accounts, their notes and findings. */
export function printAccounts(output: Output, accounts: readonly Account[]): void {
  for (const account of accounts) {
    if (account.sentence === '') continue;
    output.line(sentenceText(output, account.sentence));
    for (const note of account.notes) output.line(output.colours.dim(`  ${note}`));
    printFindings(output, account.findings, 3, '  ');
  }
}

/** Findings for a person: the worst first, those of one kind and layer beyond a few counted. */
export function printFindings(
  output: Output,
  findings: readonly Finding[],
  mostOfAKind = 3,
  indent = '',
): void {
  const order = { error: 0, warning: 1, note: 2 };
  const groups = new Map<string, Finding[]>();
  for (const finding of [...findings].sort((a, b) => order[a.severity] - order[b.severity])) {
    const key = `${finding.severity} ${finding.layer} ${finding.code}`;
    groups.set(key, [...(groups.get(key) ?? []), finding]);
  }
  for (const group of groups.values()) {
    group.slice(0, mostOfAKind).forEach((finding, k) => {
      // What would set all of them right is said once.
      const same = k > 0 && finding.repair === group[0].repair;
      output.line(`${indent}${findingText(output, same ? { ...finding, repair: undefined } : finding)}`);
    });
    if (group.length > mostOfAKind)
      output.line(
        output.colours.dim(
          `${indent}        … and ${grouped(group.length - mostOfAKind)} more ${group[0].code}${group[0].layer === undefined ? '' : ` in ${group[0].layer}`}.`,
        ),
      );
  }
}

/** A reporter that prints as things happen: progress on a terminal, plain lines in a pipe, nothing with --json. */
export function printingReporter(output: Output): Reporter & { stop(): void } {
  const { colours } = output;
  const lines = new ProgressLines();
  const stop = () => lines.clear();
  return {
    stop: () => lines.end(),
    stage(words) {
      stop();
      if (!output.json) output.line(`\n${colours.bold(colours.underline(words))}`);
    },
    say(words) {
      stop();
      if (!output.json) output.line(sentenceText(output, words));
    },
    note(words) {
      stop();
      if (!output.json) output.line(colours.dim(`  ${words}`));
    },
    // Findings are printed together at the end.
    finding: () => {},
    progress(what, meter) {
      if (!output.json) lines.show(what, meter);
    },
  };
}

/** Rows of text in aligned columns; numbers to the right. */
export function textTable(
  head: readonly string[],
  rows: readonly (readonly string[])[],
  right: readonly boolean[],
  widest = 34,
): string[] {
  const cut = (cell: string) => {
    const text = visibleInLine(cell);
    return text.length > widest ? `${text.slice(0, widest - 1)}…` : text;
  };
  const cells = [head, ...rows].map((row) => row.map(cut));
  const widths = head.map((_, c) => Math.max(...cells.map((row) => row[c].length)));
  return cells.map((row) =>
    row
      .map((cell, c) => (right[c] ? cell.padStart(widths[c]) : cell.padEnd(widths[c])))
      .join('  ')
      .trimEnd(),
  );
}
