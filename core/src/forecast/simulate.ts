import { Heap } from './heap';

/**
 * A discrete-event simulation: jobs go through steps that hold resources; work is either a time or an amount that
 * flows over a line which all who use it share equally (processor sharing). Time is in seconds.
 */

export interface SimulatedStep {
  name: string;
  /** Resources taken together when the step begins; it waits until all of them are free. */
  take: readonly string[];
  work: { seconds: number } | { flow: string; amount: number; most: number };
  /** Resources given back when the step ends. */
  give: readonly string[];
}

export interface Job {
  id: string;
  steps: readonly SimulatedStep[];
  /** Jobs that must have ended before this one begins. */
  after: readonly string[];
}

export interface Bench {
  /** How many of each resource there are. */
  resources: ReadonlyMap<string, number>;
  /** Rate of each shared line, in amounts a second. */
  flows: ReadonlyMap<string, number>;
}

/** A stretch of time in which a step was at work. */
export interface Span {
  job: string;
  step: string;
  from: number;
  to: number;
  /** Resources that were held meanwhile. */
  held: readonly string[];
}

export interface Run {
  /** When the last job ended. */
  end: number;
  spans: Span[];
  /** Seconds that each resource was held, over all of its pieces. */
  busy: Map<string, number>;
  /** Seconds that jobs waited for each resource. */
  waited: Map<string, number>;
}

/** A simulation that cannot go on. */
export class SimulationError extends Error {
  override readonly name = 'SimulationError';
}

interface State {
  job: Job;
  order: number;
  at: number;
  began: number;
  asked: number;
  held: Map<string, number>;
  pending: number;
}

/** A shared line. All who use it have the same most, or less, so progress is counted once for everybody. */
class Flow {
  private readonly users = new Heap<{ state: State; until: number }>((a, b) => a.until < b.until);
  private done = 0;
  private since = 0;
  /** Raised at every change, so that an outdated event is known as such. */
  turn = 0;

  constructor(
    private readonly rate: number,
    readonly most: number,
  ) {}

  private get pace(): number {
    return this.users.size === 0 ? 0 : Math.min(this.most, this.rate / this.users.size);
  }

  advance(now: number): void {
    this.done += (now - this.since) * this.pace;
    this.since = now;
  }

  add(state: State, amount: number): void {
    this.users.push({ state, until: this.done + amount });
    this.turn++;
  }

  /** When the next user is done. */
  next(): number | null {
    const first = this.users.peek();
    return first ? this.since + Math.max(0, first.until - this.done) / this.pace : null;
  }

  finish(): State {
    const first = this.users.pop();
    if (!first) throw new SimulationError('a line has nobody to finish');
    // Rounding must not leave a remainder behind.
    this.done = Math.max(this.done, first.until);
    this.turn++;
    return first.state;
  }
}

interface Event {
  at: number;
  order: number;
  state: State | null;
  flow: Flow | null;
  turn: number;
}

/**
 * Runs jobs over a bench. Who waits for a resource is served in the order of the list of jobs.
 * @throws SimulationError when a resource is missing, a line has no rate or two, or jobs wait for each other for ever
 */
export function simulate(jobs: readonly Job[], bench: Bench): Run {
  const free = new Map(bench.resources);
  const waiting = new Map<string, Heap<State>>();
  const flows = new Map<string, Flow>();
  const events = new Heap<Event>((a, b) => a.at < b.at || (a.at === b.at && a.order < b.order));
  const run: Run = { end: 0, spans: [], busy: new Map(), waited: new Map() };
  const states = jobs.map((job, order): State => ({
    job,
    order,
    at: 0,
    began: 0,
    asked: 0,
    held: new Map(),
    pending: job.after.length,
  }));
  const followers = new Map<string, State[]>();
  for (const state of states)
    for (const id of state.job.after) {
      const list = followers.get(id);
      if (list) list.push(state);
      else followers.set(id, [state]);
    }
  let open = states.length;
  let now = 0;

  const flowOf = (name: string, most: number): Flow => {
    let flow = flows.get(name);
    if (flow && flow.most !== most)
      throw new SimulationError(`the line ${name} is used at two different rates`);
    if (!flow) {
      const rate = bench.flows.get(name);
      if (rate === undefined || !(rate > 0) || !(most > 0))
        throw new SimulationError(`the line ${name} has no rate`);
      flow = new Flow(rate, most);
      flows.set(name, flow);
    }
    return flow;
  };
  const schedule = (flow: Flow): void => {
    const at = flow.next();
    if (at !== null) events.push({ at, order: -1, state: null, flow, turn: flow.turn });
  };

  /** The first resource of a step that is not free, or null. */
  const lacking = (step: SimulatedStep): string | null => {
    for (const name of step.take) {
      const left = free.get(name);
      if (left === undefined || (bench.resources.get(name) ?? 0) < 1)
        throw new SimulationError(`there is no ${name} on the bench`);
      if (left < 1) return name;
    }
    return null;
  };

  const begin = (state: State): void => {
    const step = state.job.steps[state.at];
    if (!step) {
      end(state);
      return;
    }
    const lack = lacking(step);
    if (lack !== null) {
      let queue = waiting.get(lack);
      if (!queue) waiting.set(lack, (queue = new Heap<State>((a, b) => a.order < b.order)));
      queue.push(state);
      return;
    }
    for (const name of step.take) {
      free.set(name, (free.get(name) ?? 0) - 1);
      state.held.set(name, now);
      run.waited.set(name, (run.waited.get(name) ?? 0) + (now - state.asked));
    }
    state.began = now;
    if ('seconds' in step.work)
      events.push({ at: now + step.work.seconds, order: state.order, state, flow: null, turn: 0 });
    else {
      const flow = flowOf(step.work.flow, step.work.most);
      flow.advance(now);
      flow.add(state, step.work.amount);
      schedule(flow);
    }
  };

  const end = (state: State): void => {
    for (const name of [...state.held.keys()]) release(state, name);
    open--;
    run.end = Math.max(run.end, now);
    for (const follower of followers.get(state.job.id) ?? [])
      if (--follower.pending === 0) {
        follower.asked = now;
        begin(follower);
      }
  };

  const release = (state: State, name: string): void => {
    const since = state.held.get(name);
    if (since === undefined) return;
    state.held.delete(name);
    run.busy.set(name, (run.busy.get(name) ?? 0) + (now - since));
    free.set(name, (free.get(name) ?? 0) + 1);
    const queue = waiting.get(name);
    while (queue && queue.size > 0 && (free.get(name) ?? 0) > 0) {
      const next = queue.pop();
      // One that lacks something else as well moves over to that queue.
      if (next) begin(next);
    }
  };

  const finish = (state: State): void => {
    const step = state.job.steps[state.at];
    if (!step) return;
    run.spans.push({
      job: state.job.id,
      step: step.name,
      from: state.began,
      to: now,
      held: [...state.held.keys()],
    });
    state.at++;
    state.asked = now;
    for (const name of step.give) release(state, name);
    begin(state);
  };

  for (const state of states) if (state.pending === 0) begin(state);
  for (let event = events.pop(); event; event = events.pop()) {
    if (event.flow) {
      if (event.turn !== event.flow.turn) continue;
      now = event.at;
      event.flow.advance(now);
      const state = event.flow.finish();
      schedule(event.flow);
      finish(state);
    } else if (event.state) {
      now = event.at;
      finish(event.state);
    }
  }
  if (open > 0) throw new SimulationError('jobs wait for each other and for ever');
  return run;
}
