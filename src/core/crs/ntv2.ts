import { IsomericError } from '../errors.ts';

/** One grid of shifts of an NTv2 file. Angles in radians, longitudes positive to the east. */
interface SubGrid {
  name: string;
  parent: string;
  south: number;
  west: number;
  north: number;
  east: number;
  /** Steps between nodes. */
  dPhi: number;
  dLambda: number;
  rows: number;
  columns: number;
  /** Δφ and Δλ (east) of the nodes, rows from the south, each from the west to the east. */
  shifts: Float32Array;
  children: SubGrid[];
}

/** A grid of datum shifts (NTv2), from one datum to another, with its sub-grids. */
export interface GridShift {
  /** Name of the file, for messages. */
  name: string;
  /** Names of the systems that it leads from and to, as the file has them. */
  from: string;
  to: string;
  /** Semi-axes of their ellipsoids, metres. */
  fromAxes: [a: number, b: number];
  toAxes: [a: number, b: number];
  /** Box that it covers: west, south, east, north in degrees. */
  area: [number, number, number, number];
  /** Number of grids within. */
  grids: number;
  /** Mean of the accuracies at its nodes, metres; NaN where the file has none. */
  accuracy: number;
  /** (λ, φ) in radians, from Greenwich, in place: forward, or the way back by iteration. NaN outside of the grid. */
  apply(xy: Float64Array, from: number, count: number, direction: 1 | -1): void;
}

const second = Math.PI / 648_000;
/** More grids or nodes than any published file has: such a header is damaged. */
const mostGrids = 10_000;

/** Reads the records of a file, each of sixteen bytes: eight of a name, eight of a value. */
class Records {
  readonly little: boolean;
  private readonly bytes: Uint8Array;
  private readonly view: DataView;
  private readonly name: string;

  constructor(bytes: Uint8Array, name: string) {
    this.bytes = bytes;
    this.name = name;
    if (bytes.length < 176 || this.text(0) !== 'NUM_OREC') this.damaged('it is no grid of the NTv2 form');
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.little = this.view.getUint32(8, true) === 11;
    if (!this.little && this.view.getUint32(8, false) !== 11)
      this.damaged('its overview has not eleven records');
  }

  damaged(words: string): never {
    throw new IsomericError('grid-damaged', `${this.name}: ${words}.`, {
      place: { file: this.name },
      advice: 'Get the file (.gsb, NTv2) again; a text form (.gsa) is not read.',
    });
  }

  get length(): number {
    return this.bytes.length;
  }

  text(at: number): string {
    let out = '';
    for (let k = at; k < at + 8; k++) out += String.fromCharCode(this.bytes[k] ?? 32);
    return out.replaceAll('\0', ' ').trim();
  }

  integer(at: number): number {
    return this.view.getInt32(at, this.little);
  }

  real(at: number): number {
    return this.view.getFloat64(at, this.little);
  }

  single(at: number): number {
    return this.view.getFloat32(at, this.little);
  }
}

/** Accuracies of the nodes that have one. */
interface Accuracies {
  sum: number;
  known: number;
}

/** The k-th grid of `count`, whose header begins at `at`; its limits are turned into radians, east positive. */
function readGrid(
  records: Records,
  at: number,
  [k, count]: readonly [number, number],
  size: number,
  accuracies: Accuracies,
): SubGrid {
  if (at + 176 > records.length) records.damaged(`it ends before grid ${k + 1} of ${count}`);
  if (records.text(at) !== 'SUB_NAME') records.damaged(`grid ${k + 1} has no header`);
  const [south, north, east, west, dPhi, dLambda] = [4, 5, 6, 7, 8, 9].map(
    (r) => records.real(at + 16 * r + 8) * size,
  );
  const nodes = records.integer(at + 16 * 10 + 8);
  const rows = Math.round((north - south) / dPhi) + 1;
  // Longitudes of the file are positive to the west.
  const columns = Math.round((west - east) / dLambda) + 1;
  if (!(dPhi > 0 && dLambda > 0 && rows > 1 && columns > 1 && rows * columns === nodes))
    records.damaged(`grid ${k + 1} announces ${nodes} nodes, and its limits say ${rows} × ${columns}`);
  const start = at + 176;
  if (start + 16 * nodes > records.length) records.damaged(`it ends within grid ${k + 1}`);
  const shifts = new Float32Array(2 * nodes);
  for (let n = 0; n < nodes; n++) {
    const row = Math.floor(n / columns);
    // Each row runs from the east to the west.
    const to = 2 * (row * columns + (columns - 1 - (n % columns)));
    shifts[to] = records.single(start + 16 * n);
    shifts[to + 1] = -records.single(start + 16 * n + 4);
    const accuracy = records.single(start + 16 * n + 8);
    if (accuracy > 0 && accuracy < 1000) {
      accuracies.sum += accuracy;
      accuracies.known++;
    }
  }
  return {
    name: records.text(at + 8),
    parent: records.text(at + 24),
    south,
    north,
    west: -west,
    east: -east,
    dPhi,
    dLambda,
    rows,
    columns,
    shifts,
    children: [],
  };
}

/** The innermost grid that holds a place (radians); null outside of all. */
function gridAt(roots: readonly SubGrid[], lambda: number, phi: number): SubGrid | null {
  let grids = roots;
  let best: SubGrid | null = null;
  for (;;) {
    const inside = grids.find(
      (g) =>
        phi >= g.south - 1e-12 &&
        phi <= g.north + 1e-12 &&
        lambda >= g.west - 1e-12 &&
        lambda <= g.east + 1e-12,
    );
    if (inside === undefined) return best;
    best = inside;
    grids = inside.children;
  }
}

/** Finds shifts, in the unit of the file turned into radians. */
class Shifts {
  /** Δφ and Δλ (east) of the last place. */
  readonly found = new Float64Array(2);
  private readonly roots: readonly SubGrid[];
  private readonly size: number;

  constructor(roots: readonly SubGrid[], size: number) {
    this.roots = roots;
    this.size = size;
  }

  /** Bilinear between the four nodes around (radians); false outside of all grids. */
  at(lambda: number, phi: number): boolean {
    const grid = gridAt(this.roots, lambda, phi);
    if (grid === null) return false;
    const y = Math.max(0, (phi - grid.south) / grid.dPhi);
    const x = Math.max(0, (lambda - grid.west) / grid.dLambda);
    const row = Math.min(grid.rows - 2, Math.floor(y));
    const column = Math.min(grid.columns - 2, Math.floor(x));
    const v = y - row;
    const u = x - column;
    const { shifts, columns } = grid;
    const a = 2 * (row * columns + column);
    const c = a + 2 * columns;
    for (let k = 0; k < 2; k++)
      this.found[k] =
        this.size *
        ((1 - v) * ((1 - u) * shifts[a + k] + u * shifts[a + 2 + k]) +
          v * ((1 - u) * shifts[c + k] + u * shifts[c + 2 + k]));
    return true;
  }

  forward(xy: Float64Array, k: number): void {
    const found = this.at(xy[k], xy[k + 1]);
    xy[k] = found ? xy[k] + this.found[1] : NaN;
    xy[k + 1] = found ? xy[k + 1] + this.found[0] : NaN;
  }

  /** The shift belongs to the point before it: iterated until it is that of the point found. */
  back(xy: Float64Array, k: number): void {
    const lambda = xy[k];
    const phi = xy[k + 1];
    let found = this.at(lambda, phi);
    let [l, p] = [lambda, phi];
    for (let step = 0; step < 12 && found; step++) {
      const nextL = lambda - this.found[1];
      const nextP = phi - this.found[0];
      const still = Math.abs(nextL - l) < 1e-14 && Math.abs(nextP - p) < 1e-14;
      [l, p] = [nextL, nextP];
      if (still) break;
      found = this.at(l, p);
    }
    xy[k] = found ? l : NaN;
    xy[k + 1] = found ? p : NaN;
  }
}

/**
 * Reads a grid of shifts in the open NTv2 form (Junkins & Farley 1995, National Transformation Version 2, developer's
 * guide): eleven overview records, then each sub-grid; both byte orders.
 *
 * @throws IsomericError `grid-damaged`
 */
export function readNtv2(bytes: Uint8Array, name: string): GridShift {
  const records = new Records(bytes, name);
  const count = records.integer(2 * 16 + 8);
  if (!(count > 0 && count <= mostGrids)) records.damaged(`it announces ${count} grids`);
  const unit = records.text(3 * 16 + 8);
  const size = { SECONDS: second, MINUTES: 60 * second, DEGREES: 3600 * second }[unit];
  if (size === undefined)
    return records.damaged(`its shifts are in ${unit}, not in seconds, minutes or degrees`);
  const all = new Map<string, SubGrid>();
  const accuracies: Accuracies = { sum: 0, known: 0 };
  let at = 176;
  for (let k = 0; k < count; k++) {
    const grid = readGrid(records, at, [k, count], size, accuracies);
    all.set(grid.name, grid);
    at += 176 + 8 * grid.shifts.length;
  }
  const roots: SubGrid[] = [];
  for (const grid of all.values()) {
    const parent = grid.parent === grid.name ? undefined : all.get(grid.parent);
    if (parent === undefined) roots.push(grid);
    else parent.children.push(grid);
  }
  const shifts = new Shifts(roots, size);
  const degrees = 180 / Math.PI;
  return {
    name,
    from: records.text(5 * 16 + 8),
    to: records.text(6 * 16 + 8),
    fromAxes: [records.real(7 * 16 + 8), records.real(8 * 16 + 8)],
    toAxes: [records.real(9 * 16 + 8), records.real(10 * 16 + 8)],
    area: [
      Math.min(...roots.map((g) => g.west)) * degrees,
      Math.min(...roots.map((g) => g.south)) * degrees,
      Math.max(...roots.map((g) => g.east)) * degrees,
      Math.max(...roots.map((g) => g.north)) * degrees,
    ],
    grids: count,
    accuracy: accuracies.known === 0 ? NaN : accuracies.sum / accuracies.known,
    apply(xy, from, n, direction) {
      for (let k = 2 * from, end = 2 * (from + n); k < end; k += 2) {
        if (direction === 1) shifts.forward(xy, k);
        else shifts.back(xy, k);
      }
    },
  };
}
