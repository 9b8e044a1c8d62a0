/** Builds server and interface when their sources changed. */
import { needBuild } from './lib/build.mjs';
import { main } from './lib/say.mjs';

await main(needBuild);
