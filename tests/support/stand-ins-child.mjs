// Starts the simulated services on free ports and says which: the usual address → the one here.
import { offices, receiverPort, startStandIns, usualPorts } from '#stand-ins';

const services = await startStandIns({
  data: new URL('../../demo/data', import.meta.url).pathname,
  desk: { takes: 50 },
});
const addresses = Object.fromEntries(
  offices.map((office) => [`http://127.0.0.1:${usualPorts[office]}`, services[office].address]),
);
addresses[`tcp://127.0.0.1:${receiverPort}`] = services.receiverLine.address;
process.stdout.write(`${JSON.stringify(addresses)}\n`);
