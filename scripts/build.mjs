import { build, packages } from './setup.mjs';

packages();
build({ force: true });
