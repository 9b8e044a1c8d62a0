/**
 * What test files load, packages and our own sources, is loaded once in a process and not anew for each file, which took a
 * quarter of all the time. Test files and their helpers are loaded anew. Our sources keep no more between two calls than
 * what was read or reckoned once (a server is composed when it starts), so that a file is not touched by the one before.
 *
 * Jest's manual, "runtime".
 */
const { relative, sep } = require('node:path');
const { compileFunction, isContext } = require('node:vm');
const { default: Runtime } = require('jest-runtime');

/** What was loaded, by path; by project, since each has a way of its own to turn sources into modules. */
const kept = new Map();
let current = null;

module.exports = class KeepingRuntime extends Runtime {
  constructor(config, ...more) {
    super(config, ...more);
    current = this;
    const { watch, watchAll } = more.at(-1);
    // Who watches changes sources between two runs in one process.
    if (watch || watchAll) kept.clear();
    if (!kept.has(config.id)) kept.set(config.id, new Map());
    this.kept = kept.get(config.id);
    this.isKept = (path) =>
      path.includes(`${sep}node_modules${sep}`) ||
      /^(\.\.[\\/][^\\/]+[\\/])?src[\\/]/.test(relative(config.rootDir, path));
    for (const [path, module] of this.kept) this.registries.getActiveCjsRegistry().set(path, module);
    const { executor, _environment: environment } = this;
    // Where files run in the process itself, there is no context to name.
    if (!isContext(environment.getVmContext()))
      executor.compile = (source, filename) =>
        compileFunction(source, executor.injectedModuleParameters, { filename });
  }

  /** A kept module asks by the runtime of the file that loaded it first. */
  requireModuleOrMock(from, name) {
    return this === current ? super.requireModuleOrMock(from, name) : current.requireModuleOrMock(from, name);
  }

  teardown() {
    for (const [path, module] of this.registries.getActiveCjsRegistry())
      if (module.loaded && this.isKept(path)) this.kept.set(path, module);
    super.teardown();
  }
};
