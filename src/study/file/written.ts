import { IsomericError, type Wrong } from '../../core/errors.ts';
import type { Path, Places, Position } from '../../formats/settings/places.ts';

/** Where the parts of a study stand in its file; also those that are made of a shorter way to write them. */
export class Written {
  private readonly places: Places;
  /** What was made → where it was written: `gather, cars_wards` → `gather, cars, levels, wards`. */
  private readonly made: ReadonlyMap<string, Path>;

  constructor(places: Places, made: ReadonlyMap<string, Path>) {
    this.places = places;
    this.made = made;
  }

  /** Where the value at a path stands; with what is wrong in it: that. */
  value(path: Path, wrong?: Wrong): Position {
    return this.places.value(this.source(path), wrong);
  }

  /** Where the key of a path stands. */
  key(path: Path): Position {
    return this.places.key(this.source(path));
  }

  /** Does the study itself say something there? */
  has(path: Path): boolean {
    return this.places.source(this.source(path)) !== undefined;
  }

  /** Does work for what was written at a path; what goes wrong is told with its place. */
  async within<T>(path: Path, work: () => T | Promise<T>): Promise<T> {
    try {
      return await work();
    } catch (error) {
      throw this.told(error, path);
    }
  }

  /** An error with the place of what was written at a path, at the word that is wrong. */
  told(error: unknown, path: Path): unknown {
    return error instanceof IsomericError ? error.writtenAt(this.value(path, error.wrong)) : error;
  }

  private source(path: Path): Path {
    for (let length = path.length; length >= 2; length--) {
      const found = this.made.get(JSON.stringify(path.slice(0, length)));
      if (found !== undefined) return [...found, ...path.slice(length)];
    }
    return path;
  }
}
