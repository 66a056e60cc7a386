/** What an installation of the package brings: its declared dependencies and theirs, as the lock file places them. */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));

/** Places of the packages, like `node_modules/yaml`. Optional ones that are for machines of other kinds are left out. */
export function brought() {
  const { packages } = JSON.parse(readFileSync(join(root, 'package-lock.json'), 'utf8'));
  const placeOf = (from, name) => {
    for (let at = from; ; at = at.slice(0, Math.max(0, at.lastIndexOf('/node_modules/')))) {
      const place = `${at === '' ? '' : `${at}/`}node_modules/${name}`;
      if (place in packages) return place;
      if (at === '') return null;
    }
  };
  const found = new Set();
  const follow = (from, { dependencies, optionalDependencies }) => {
    for (const name of Object.keys({ ...dependencies, ...optionalDependencies })) {
      const place = placeOf(from, name);
      if (place === null || found.has(place) || !existsSync(join(root, place))) continue;
      found.add(place);
      follow(place, packages[place]);
    }
  };
  follow('', { dependencies: packages[''].dependencies });
  return [...found];
}

/** Bytes of all files in a folder. */
export function bytesIn(path) {
  let sum = 0;
  for (const entry of readdirSync(path, { recursive: true, withFileTypes: true }))
    if (entry.isFile()) sum += readFileSync(join(entry.parentPath, entry.name)).length;
  return sum;
}
