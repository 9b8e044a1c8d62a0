/**
 * The window of the interface's tests: one for a process and not for each file, so that what the files load, a whole
 * framework, can be kept with it. It is empty again after each file.
 */
const { TestEnvironment } = require('jest-environment-jsdom');
const { remember } = require('./jest-put-back.cjs');

let opened = null;

module.exports = class KeptWindow extends TestEnvironment {
  constructor(config, context) {
    if (opened !== null) return opened;
    super(config, context);
    opened = this;
    this.putBack = remember(this.global);
  }

  async teardown() {
    const { global, fakeTimersModern } = this;
    fakeTimersModern.dispose();
    // Its timers are numbered.
    for (let id = global.setTimeout(() => undefined, 0); id > 0; id--) global.clearTimeout(id);
    this.putBack();
    global.document.head.replaceChildren();
    global.document.body.replaceChildren();
    global.localStorage.clear();
    global.sessionStorage.clear();
    global.history.replaceState(null, '', '/');
  }
};
