import { randomBytes } from 'node:crypto';

/** How a text may be set off. */
const styles = { bold: 1, dim: 2, underline: 4, yellow: 33, cyan: 36, redBright: 91 } as const;
export type Style = keyof typeof styles;
export type Colours = Readonly<Record<Style, (text: string) => string>>;

/** Begins our own marks in texts; nothing from outside can know it, so nothing from outside can colour or move anything. */
const mark = `\u0001${randomBytes(8).toString('hex')}`;
const marks = new RegExp(`${mark}([a-zA-Z]*);`, 'g');

/** Marks for `terminalText`; the text that it prints is coloured only there. */
export const colours = Object.fromEntries(
  Object.keys(styles).map((name) => [name, (text: string) => `${mark}${name};${text}${mark};`]),
) as Colours;

/** For where nothing is coloured. */
export const plain = Object.fromEntries(
  Object.keys(styles).map((name) => [name, (text: string) => text]),
) as Colours;

// Controls of both sets but line end, and what turns the direction of writing around.
const controls =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is looked for
  /[\u0000-\u0009\u000b-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g;

/** Control characters as pictures: they would repaint, retitle or reprogram a terminal, and are data here. */
export function visible(text: string): string {
  return text.replace(controls, (c) => {
    const code = c.charCodeAt(0);
    if (code === 9) return '    ';
    return code < 32 ? String.fromCharCode(0x2400 + code) : code === 127 ? '\u2421' : '\ufffd';
  });
}

/** The same within a cell of a table, which is one line. */
export const visibleInLine = (text: string): string => visible(text.replace(/\r?\n|\r/g, '⏎'));

/** A text as it may go to a terminal: what comes from outside shows its control characters, our own marks become colours. */
export function terminalText(text: string, coloured: boolean): string {
  let out = '';
  let at = 0;
  const open: string[] = [];
  for (const found of text.matchAll(marks)) {
    out += visible(text.slice(at, found.index));
    at = found.index + found[0].length;
    if (!coloured) continue;
    const [, name] = found;
    if (name !== '') {
      open.push(`\u001b[${styles[name as Style]}m`);
      out += open[open.length - 1];
    } else {
      open.pop();
      out += `\u001b[0m${open.join('')}`;
    }
  }
  return out + visible(text.slice(at));
}
