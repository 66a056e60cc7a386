import { ending } from '../opening/names.ts';

/** Is a sheet scheme named by a file, not by one that comes with Isomeric? */
export const isSchemeFile = (name: string): boolean => ['json', 'yaml', 'yml'].includes(ending(name));
