/**
 * Test files run in the process itself instead of a context of their own: in such a context each look at a global, be it
 * Map or Math, goes through a proxy, which makes everything a sixth slower, and what a file has loaded could not be kept
 * for the next. What was there before a file is as it was after it.
 *
 * Jest's manual, "testEnvironment": an environment is a class with setup, teardown and getVmContext.
 */
const process = require('node:process');
const { ModernFakeTimers } = require('@jest/fake-timers');
const { ModuleMocker } = require('jest-mock');
const { remember } = require('./jest-put-back.cjs');

module.exports = class OneContext {
  global = globalThis;
  fakeTimers = null;
  moduleMocker = new ModuleMocker(globalThis);

  constructor({ projectConfig }) {
    this.fakeTimersModern = new ModernFakeTimers({ config: projectConfig, global: globalThis });
    this.putBack = remember(globalThis);
    this.exit = process.exit;
    this.folder = process.cwd();
    this.variables = { ...process.env };
  }

  exportConditions() {
    return ['node', 'node-addons'];
  }

  /** Only whether there is one is asked, by the runtime that belongs to this. */
  getVmContext() {
    return {};
  }

  async setup() {}

  async teardown() {
    this.fakeTimersModern.dispose();
    this.putBack();
    process.exit = this.exit;
    process.chdir(this.folder);
    for (const name of Object.keys(process.env)) if (!(name in this.variables)) delete process.env[name];
    Object.assign(process.env, this.variables);
  }
};
