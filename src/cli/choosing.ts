import { emitKeypressEvents } from 'node:readline';
import { grouped } from '../core/account.ts';
import { CatalogueIndex, type CatalogueQuery } from '../core/catalogue/catalogue-index.ts';
import type { CatalogueEntry } from '../core/catalogue/entry.ts';
import { lookIntoFile } from '../node/look-file.ts';
import { nodeMachine } from '../node/machine.ts';
import type { Meter } from '../sources/transfer/context.ts';
import { studyIn } from '../study/area-of-study.ts';
import { fillCatalogue } from '../study/catalogue/fill.ts';
import { CatalogueStore } from '../study/catalogue/store.ts';
import type { Study } from '../study/file/schema.ts';
import { silentReporter } from '../study/machine.ts';
import { type Key, Narrowing } from './narrowing.ts';
import { colours, plain, terminalText } from './terminal.ts';

/** What was picked on the terminal, with what it was picked from. */
export interface Picked {
  folder: string;
  study: Study;
  store: CatalogueStore;
  index: CatalogueIndex;
  entry: CatalogueEntry;
}

/** Listing goes on in the background; who has ended is not kept waiting for it. */
function endSoon(listing: Promise<unknown>): void {
  let done = false;
  const over = () => {
    done = true;
  };
  listing.then(over, over);
  process.once('beforeExit', over);
  setImmediate(() => setTimeout(() => done || process.exit(), 50).unref());
}

interface RawKey {
  name?: string;
  sequence?: string;
  ctrl?: boolean;
  meta?: boolean;
}

function keyOf(sign: string | undefined, raw: RawKey): Key {
  const name = raw.name === 'enter' ? 'return' : (raw.name ?? '');
  const typed =
    sign !== undefined && sign.length > 0 && sign >= ' ' && sign !== '\u007f' && raw.meta !== true;
  return {
    name: typed && !['return', 'tab', 'backspace'].includes(name) ? '' : name,
    ...(typed ? { sign } : {}),
    control: raw.ctrl === true,
  };
}

/** Searching with the keyboard, where there is one. */
export const choose = {
  possible: () => process.stdin.isTTY === true && process.stdout.isTTY === true,

  /** Shows the screen until something is picked; null when it was left. Sources are listed meanwhile, and searched as soon as they are there. */
  async from(
    folder: string,
    words: readonly string[],
    options: { offline?: boolean; refresh?: boolean },
    query: (index: CatalogueIndex) => Promise<CatalogueQuery>,
  ): Promise<Picked | null> {
    const meters = new Map<string, Meter>();
    let index = new CatalogueIndex([]);
    let screen: Narrowing | null = null;
    const draw = () => {
      if (screen === null) return;
      const { columns = 100, rows = 30 } = process.stdout;
      screen.status = [...meters]
        .map(
          ([name, { features, totalFeatures }]) =>
            `${name} ${grouped(features)}${totalFeatures === undefined ? '' : ` of ${grouped(totalFeatures)}`} …`,
        )
        .join('  ');
      const paint = process.env.NO_COLOR === undefined ? colours : plain;
      const lines = screen.lines(columns, rows, paint).map((line) => terminalText(line, paint === colours));
      process.stdout.write(`\u001b[H${lines.map((line) => `${line}\u001b[K`).join('\n')}\u001b[J`);
    };
    let last = 0;
    const reporter = {
      ...silentReporter,
      progress(what: string, meter: Meter | null) {
        if (meter === null) meters.delete(what);
        else meters.set(what, { ...meter });
        if (Date.now() - last < 100) return;
        last = Date.now();
        draw();
      },
    };
    const machine = nodeMachine(folder, reporter);
    const study = await studyIn(machine);
    const store = await CatalogueStore.load(machine);
    index = new CatalogueIndex(store.entries());
    // Choices that nothing here meets yet are looked for among what comes.
    const given = await query(index).catch(() => ({ words: words.join(' ') }));
    screen = new Narrowing(index, given);
    const renew = () => {
      index = new CatalogueIndex(store.entries());
      screen!.renew(index);
      draw();
    };
    const filling = fillCatalogue(study, machine, store, {
      ...options,
      look: (file, before) => lookIntoFile(folder, file, before),
      done: renew,
    });
    filling.then(
      () => meters.clear(),
      () => meters.clear(),
    );
    const entry = await keyboard(screen, draw);
    endSoon(filling);
    if (entry === null) return null;
    return { folder, study, store, index, entry };
  },
};

/** Takes keys until something is picked or left; the terminal is as before then. */
function keyboard(screen: Narrowing, draw: () => void): Promise<CatalogueEntry | null> {
  const { stdin, stdout } = process;
  emitKeypressEvents(stdin);
  stdin.setRawMode(true);
  stdin.resume();
  // Another screen, without a cursor: what stood there comes back.
  stdout.write('\u001b[?1049h\u001b[?25l');
  const restore = () => {
    stdin.setRawMode(false);
    stdin.pause();
    stdout.write('\u001b[?25h\u001b[?1049l');
  };
  process.once('exit', restore);
  draw();
  return new Promise((resolve) => {
    const end = (entry: CatalogueEntry | null) => {
      stdin.off('keypress', onKey);
      stdout.off('resize', draw);
      process.off('exit', restore);
      restore();
      resolve(entry);
    };
    const onKey = (sign: string | undefined, raw: RawKey) => {
      const pressed = screen.press(keyOf(sign, raw));
      if (pressed.kind === 'pick') end(pressed.entry);
      else if (pressed.kind === 'end') end(null);
      else draw();
    };
    stdin.on('keypress', onKey);
    stdout.on('resize', draw);
  });
}
