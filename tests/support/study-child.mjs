// Runs a study in a process of its own, which tests kill: node study-child.mjs FOLDER '{"office":"http://…"}'.
// It says “ready” when everything is loaded, and begins when it is told to.
import { once } from 'node:events';
import { nodeMachine } from '../../dist/node/index.js';
import { runStudy } from '../../dist/study/index.js';

process.stdout.write('ready\n');
const [line] = await once(process.stdin.setEncoding('utf8'), 'data');
const { folder, addresses, only } = JSON.parse(line);
const machine = { ...nodeMachine(folder), now: () => '2026-06-01T12:00:00.000Z' };
await runStudy(machine, { addresses, only, tries: 3, patience: 5000 });
process.stdout.write('done\n');
process.exit(0);
