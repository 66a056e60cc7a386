// Starts all simulated services on the ports that the demo's study names, until Ctrl-C: `npm run stand-ins`.
// A bad day: `npm run stand-ins -- orderDesk=failing`, or POST the name of a mood to /mood of a running one.
import { join } from 'node:path';
import { build, packages, root } from './setup.mjs';

packages();
build();
const { madeUpSecrets, moods, offices, receiverPort, startStandIns, usualPorts } = await import('#stand-ins');
const told = Object.fromEntries(process.argv.slice(2).map((each) => each.split('=')));
for (const [office, mood] of Object.entries(told)) {
  if (office === 'release' && ['first', 'second'].includes(mood)) continue;
  if (offices.includes(office) && mood in moods) continue;
  console.error(`There is no ${offices.includes(office) ? `mood “${mood}”` : `office “${office}”`}.`);
  console.error(`Offices: ${offices.join(', ')}.\nMoods:`);
  for (const [name, means] of Object.entries(moods)) console.error(`  ${name.padEnd(16)} ${means}`);
  process.exit(2);
}
const services = await startStandIns({
  data: join(root, 'demo', 'data'),
  ports: usualPorts,
  receiverPort,
  moodsByRequest: true,
  release: told.release === 'second' ? 'second' : 'first',
});
for (const office of offices) {
  if (told[office] !== undefined)
    await fetch(`${services[office].address}/mood`, {
      method: 'POST',
      headers: { 'content-type': 'text/plain' },
      body: told[office],
    });
  console.log(`${office.padEnd(18)} ${services[office].address}   ${told[office] ?? 'well'}`);
}
console.log(`${'receiver'.padEnd(18)} ${services.receiver.address}`);
console.log(`${'receiver’s line'.padEnd(18)} ${services.receiverLine.address}`);
console.log(`\nThe statistics office wants a key and an account; they are made up and open nothing else:`);
console.log(`  export TESKARIA_KEY=${madeUpSecrets.key}`);
console.log(`  export TESKARIA_USER=${madeUpSecrets.user} TESKARIA_PASSWORD=${madeUpSecrets.password}`);
