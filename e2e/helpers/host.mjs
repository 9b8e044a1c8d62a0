/**
 * Serves applications one after the other in a process that has loaded the program already: what a start costs is looked
 * at in start.spec.ts, and need not be paid by every test.
 */
const { startServer } = await import(process.argv[2]);
const running = new Map();

process.on('message', ({ id, ask, name, options }) => {
  const work = async () => {
    if (ask === 'start') {
      const server = await startServer(options);
      running.set(name, server);
      return server.url;
    }
    await running.get(name)?.stop();
    running.delete(name);
    return '';
  };
  work().then(
    (url) => process.send({ id, url }),
    (error) => process.send({ id, error: String(error?.stack ?? error) }),
  );
});
process.send({ id: 0, url: '' });
