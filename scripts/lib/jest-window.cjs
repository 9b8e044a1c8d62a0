/**
 * The window of the interface's tests: one for a process and not for each file, so that what the files load, a whole
 * framework, can be kept with it. It is empty again after each file.
 */
const { TestEnvironment } = require('jest-environment-jsdom');

let opened = null;

module.exports = class KeptWindow extends TestEnvironment {
  constructor(config, context) {
    if (opened !== null) return opened;
    super(config, context);
    opened = this;
    this.variables = Object.entries(Object.getOwnPropertyDescriptors(this.global));
  }

  async teardown() {
    const { global, fakeTimersModern, variables } = this;
    fakeTimersModern.dispose();
    // Its timers are numbered.
    for (let id = global.setTimeout(() => undefined, 0); id > 0; id--) global.clearTimeout(id);
    for (const [name, descriptor] of variables)
      if (descriptor.configurable && global[name] !== descriptor.value)
        Object.defineProperty(global, name, descriptor);
    global.document.head.replaceChildren();
    global.document.body.replaceChildren();
    global.localStorage.clear();
    global.sessionStorage.clear();
    global.history.replaceState(null, '', '/');
  }
};
