/**
 * Sets everything up and serves Nest Mark: Debian packages, npm packages, build, database, demo data. Can be run
 * again at any time; what is done already is skipped.
 *
 *   npm start                       port 4680 on 127.0.0.1, data in ./data
 *   npm start -- --data DIR --port N --practice-network 127.44.9 --no-demo --no-setup
 */
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { parseArgs } from 'node:util';
import { needDependencies, needNode } from './lib/deps.mjs';
import { needPackages } from './lib/debian.mjs';
import { baseImage, root, serverBundle, webFolder } from './lib/paths.mjs';
import { main, say, SetupError } from './lib/say.mjs';

/** What was given on the command line. */
// Each request to a card that stopped answering keeps a thread until it does; the other cards must not wait for one.
process.env.UV_THREADPOOL_SIZE ??= '64';

function options() {
  try {
    const { values } = parseArgs({
      options: {
        data: { type: 'string', default: join(root, 'data') },
        port: { type: 'string', default: '4680' },
        'practice-network': { type: 'string', default: '127.44.7' },
        station: { type: 'string', default: 'bench' },
        database: { type: 'string' },
        'no-demo': { type: 'boolean', default: false },
        'no-setup': { type: 'boolean', default: false },
      },
    });
    const port = Number(values.port);
    if (!Number.isInteger(port) || port < 0 || port > 65535)
      throw new SetupError(`--port ${values.port} is not a port number.`);
    return { ...values, port, data: resolve(values.data) };
  } catch (error) {
    throw error instanceof SetupError
      ? error
      : new SetupError(`${error.message}\nSee the beginning of scripts/start.mjs for what can be given.`);
  }
}

await main(async () => {
  const given = options();
  needNode();
  if (!given['no-setup']) {
    needPackages('start');
    needDependencies();
    const { needBuild } = await import('./lib/build.mjs');
    await needBuild();
  }
  const { makeBaseImage } = await import('./lib/base-image.mjs');
  if (!given['no-demo']) {
    if (makeBaseImage(baseImage)) say('made the practice image');
  }
  const { needDatabase, startPostgres } = await import('./lib/postgres.mjs');
  const cluster = given.database ? null : await startPostgres(given.data);
  if (cluster) await needDatabase(cluster, 'nest_mark');
  const { startServer, DatabaseError, VaultError } = await import(pathToFileURL(serverBundle).href);

  const server = await startServer({
    databaseUrl: given.database ?? cluster.url('nest_mark'),
    dataFolder: given.data,
    port: given.port,
    station: given.station,
    practiceNetwork: given['practice-network'],
    webFolder,
    demoImage: given['no-demo'] ? null : baseImage,
    logLevel: 'warn',
  }).catch((error) => {
    cluster?.stop();
    if (error?.code === 'EADDRINUSE')
      throw new SetupError(
        `Port ${given.port} is taken. Is Nest Mark running already? Otherwise choose another with --port.`,
      );
    throw error instanceof DatabaseError || error instanceof VaultError
      ? new SetupError(error.message)
      : error;
  });
  say('ready');
  console.log(`Nest Mark is at ${server.url}  (Ctrl-C stops it)`);

  let stopping = false;
  const stop = async () => {
    if (stopping) return;
    stopping = true;
    say('stopping');
    await server.stop();
    cluster?.stop();
    process.exit(0);
  };
  process.on('SIGINT', () => void stop());
  process.on('SIGTERM', () => void stop());
});
