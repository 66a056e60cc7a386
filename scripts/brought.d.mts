/** Places of the packages that an installation brings. */
export function brought(): string[];
/** Bytes of all files in a folder. */
export function bytesIn(path: string): number;
