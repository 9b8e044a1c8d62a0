/** Begins anew: removes the database, the shelf, the practice bench and the key file of the data folder. */
import { rmSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { root } from './lib/paths.mjs';
import { removePostgres, startPostgres } from './lib/postgres.mjs';
import { main, say, SetupError } from './lib/say.mjs';

await main(async () => {
  const { values } = parseArgs({ options: { data: { type: 'string', default: join(root, 'data') } } });
  const data = resolve(values.data);
  const cluster = await startPostgres(data);
  if (!cluster.startedHere)
    throw new SetupError('Nest Mark is running. Stop it with Ctrl-C first, then run this again.');
  cluster.stop();
  removePostgres(data);
  for (const name of ['shelf', 'practice', 'secret.key'])
    rmSync(join(data, name), { recursive: true, force: true });
  say('The next npm start plants the demo data anew.');
});
