import type cliProgress from 'cli-progress';
import { counted, grouped } from '../core/account.ts';
import type { Meter } from '../sources/transfer/context.ts';
import { visibleInLine } from './terminal.ts';

/** Decimals of a size in readable units. */
export function bytesText(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  const units = ['kB', 'MB', 'GB', 'TB'];
  let value = bytes / 1000;
  let unit = 0;
  while (value >= 999.5 && unit < units.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${value.toFixed(value < 9.95 ? 1 : 0)} ${units[unit]}`;
}

/** `40 s`, `12 min`, `3 h 20 min`. */
export function timeText(seconds: number): string {
  if (seconds < 99.5) return `${Math.max(1, Math.round(seconds))} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 100 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

/** Seconds over which the speed is taken: long enough not to jump, short enough to follow. */
const speedOver = 5;

/** Speed of what comes, over the last seconds. */
export class Speedometer {
  private readonly points: { at: number; bytes: number }[] = [];

  add(at: number, bytes: number): void {
    const last = this.points[this.points.length - 1];
    // A try that failed takes back what it brought.
    if (last !== undefined && bytes < last.bytes) this.points.length = 0;
    this.points.push({ at, bytes });
    while (this.points.length > 2 && this.points[0].at < at - speedOver * 1000) this.points.shift();
  }

  /** Bytes a second; null when nothing can be said yet. */
  get speed(): number | null {
    const { points } = this;
    if (points.length < 2) return null;
    const last = points[points.length - 1];
    const seconds = (last.at - points[0].at) / 1000;
    return seconds < 0.3 ? null : (last.bytes - points[0].bytes) / seconds;
  }
}

/** Milliseconds between the lines in a pipe. */
const pipeEvery = 30_000;

/** The same without a bar. */
export function plainMeterText(what: string, meter: Meter, speed: number | null): string {
  return meterText(what, meter, speed).replace(/\s+[█░·]{16} /, ': ');
}

/** What, how far, how fast, how long still. */
export function meterText(what: string, meter: Meter, speed: number | null, nameWidth = 18): string {
  const name = (what.length > nameWidth ? `${what.slice(0, nameWidth - 1)}…` : what).padEnd(nameWidth);
  const share =
    meter.totalBytes !== undefined && meter.totalBytes > 0
      ? meter.bytes / meter.totalBytes
      : meter.totalFeatures !== undefined && meter.totalFeatures > 0
        ? meter.features / meter.totalFeatures
        : (meter.share ?? null);
  const width = 16;
  const filled = share === null ? 0 : Math.round(Math.min(1, share) * width);
  const bar = share === null ? '·'.repeat(width) : `${'█'.repeat(filled)}${'░'.repeat(width - filled)}`;
  const parts = [
    meter.totalFeatures !== undefined
      ? `${grouped(meter.features)} of ${counted(meter.totalFeatures, 'feature', 'features')}`
      : meter.features > 0
        ? counted(meter.features, 'feature', 'features')
        : '',
    meter.totalBytes !== undefined
      ? `${bytesText(meter.bytes)} of ${bytesText(meter.totalBytes)}`
      : meter.bytes > 0
        ? bytesText(meter.bytes)
        : '',
    speed === null || meter.bytes === 0 || share === 1 ? '' : `${bytesText(Math.round(speed))}/s`,
  ];
  if (speed !== null && speed > 0 && share !== null && share > 0 && share < 1)
    parts.push(`${timeText((meter.bytes * (1 / share - 1)) / speed)} to go`);
  if (meter.state !== undefined) parts.push(meter.state);
  return visibleInLine(`${name} ${bar} ${parts.filter((part) => part !== '').join(' · ')}`);
}

interface Line {
  /** Null while something else is printed. */
  bar: cliProgress.SingleBar | null;
  speed: Speedometer;
}

/** One line for each dataset that comes, on the error stream of a terminal. */
export class ProgressLines {
  private library: typeof cliProgress | null = null;
  private loading = false;
  private bars: cliProgress.MultiBar | null = null;
  private readonly lines = new Map<string, Line>();
  private readonly meters = new Map<string, Meter>();
  private readonly every: number;
  private ticking: NodeJS.Timeout | undefined;
  private readonly stream: NodeJS.WriteStream;

  /** @param every milliseconds between the lines where the stream is no terminal */
  constructor(stream: NodeJS.WriteStream = process.stderr, every = pipeEvery) {
    this.stream = stream;
    this.every = every;
  }

  /** @param meter how far it is; null when there is nothing more to show of it */
  show(what: string, meter: Meter | null): void {
    if (!this.stream.isTTY) {
      this.sayNowAndThen(what, meter);
      return;
    }
    if (meter === null) {
      const line = this.lines.get(what);
      if (line?.bar !== null && line?.bar !== undefined) this.bars?.remove(line.bar);
      this.lines.delete(what);
      this.meters.delete(what);
      return;
    }
    this.meters.set(what, meter);
    // Loaded when there is something to show: most commands end sooner than that.
    if (this.library === null) {
      if (!this.loading) import('cli-progress').then((module) => (this.library = module.default));
      this.loading = true;
      return;
    }
    this.bars ??= new this.library.MultiBar({
      format: '  {words}',
      clearOnComplete: true,
      hideCursor: true,
      fps: 8,
      stream: this.stream,
    });
    // After something else was printed, all that goes on comes back.
    for (const [name, known] of this.meters) this.update(name, known);
  }

  /** Where no line can be redrawn, a plain one every half minute says that something moves, or that nothing does. */
  private sayNowAndThen(what: string, meter: Meter | null): void {
    if (meter === null) this.meters.delete(what);
    else this.meters.set(what, meter);
    if (this.meters.size === 0) {
      clearInterval(this.ticking);
      this.ticking = undefined;
      return;
    }
    if (this.ticking !== undefined) return;
    this.ticking = setInterval(() => {
      for (const [name, known] of this.meters) {
        if (known.state === 'waiting' || known.state === 'received') continue;
        const line = this.lines.get(name) ?? { bar: null, speed: new Speedometer() };
        this.lines.set(name, line);
        line.speed.add(performance.now(), known.bytes);
        this.stream.write(`  ${plainMeterText(name, known, line.speed.speed)}\n`);
      }
    }, this.every);
    // It keeps nobody waiting.
    this.ticking.unref();
  }

  private update(what: string, meter: Meter): void {
    let line = this.lines.get(what);
    if (line === undefined) {
      line = { bar: null, speed: new Speedometer() };
      this.lines.set(what, line);
    }
    const words = () => meterText(what, meter, line.speed.speed).slice(0, (this.stream.columns ?? 100) - 3);
    line.bar ??= this.bars!.create(1, 0, { words: words() });
    line.speed.add(performance.now(), meter.bytes);
    line.bar.update(0, { words: words() });
  }

  /** Clears the lines away, so that something else can be printed. */
  clear(): void {
    this.bars?.stop();
    this.bars = null;
    for (const line of this.lines.values()) line.bar = null;
  }

  /** Nothing more comes: no line is left, none follows. */
  end(): void {
    this.clear();
    this.lines.clear();
    this.meters.clear();
    clearInterval(this.ticking);
    this.ticking = undefined;
  }
}
