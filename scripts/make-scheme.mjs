// Makes src/formats/class-scheme/thematic.generated.ts from thematic.yaml: `npm run scheme`.
import { readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const folder = join(dirname(fileURLToPath(import.meta.url)), '..', 'src', 'formats', 'class-scheme');
const text = readFileSync(join(folder, 'thematic.yaml'), 'utf8');
writeFileSync(
  join(folder, 'thematic.generated.ts'),
  `// Made by \`npm run scheme\` from thematic.yaml; change that.\n/** The class scheme that comes with Isomeric, as YAML. */\nexport const thematicText = ${JSON.stringify(text)};\n`,
);
