import type { Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { of } from 'rxjs';
import { providePrimeNG } from 'primeng/config';
import {
  boardProfiles,
  emptyNetwork,
  makeHostKey,
  shippedBoards,
  type Batch,
  type Image,
  type Plan,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { Api } from '../src/app/api/api';
import { BoardForm } from '../src/app/boards/board-form';
import { NetworkEditor } from '../src/app/networks/network-editor';
import { AccessPanel } from '../src/app/plan/access-panel';
import { Forecaster } from '../src/app/plan/forecaster';
import { KitPart } from '../src/app/plan/kit-part';
import { NetworkPanel } from '../src/app/plan/network-panel';
import { PowerPart } from '../src/app/plan/power-part';
import { TimePart } from '../src/app/plan/time-part';
import { batchFeature } from '../src/app/state/batch.reducer';
import { ImagesActions } from '../src/app/state/images.reducer';
import { NetworksActions, networksFeature } from '../src/app/state/networks.reducer';
import { tankBatch } from './helpers/plan';
import { bench } from './helpers/store';
import { made } from './stubs/forecast-worker';

const imageId = '6f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a10';
const networkId = '99999999-9999-4999-8999-999999999999';
const userKey = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'mara@bench').publicLine;

const image: Image = {
  id: imageId,
  title: 'Marsh base',
  state: 'ready',
  stations: ['test'],
  message: '',
  addedAt: 1,
  packing: 'xz',
  packedSize: 1e8,
  packedSha256: 'ab',
  rawSize: 1e9,
  rawSha256: 'cd',
  partitions: [],
  method: 'declarative-seed',
  own: null,
  boot: null,
  detected: 'declarative-seed',
  methodReason: '',
  about: { wordBits: 64, flavour: 'desktop', chosenMethod: null, bootPartition: null },
  keptSize: null,
  unpacked: null,
  bootFiles: [],
  seen: [],
  system: null,
  address: null,
  fetched: null,
};
const network = (change: Partial<ShelvedNetwork> = {}): ShelvedNetwork => ({
  ...emptyNetwork('Bench'),
  id: networkId,
  ssid: 'Saltmarsh Bench',
  version: 1,
  secret: { state: 'kept', faults: [] },
  ...change,
});
const batchOf = (count: number, change: Partial<Plan> = {}): Batch => {
  const batch = tankBatch(count);
  return { ...batch, plan: { ...batch.plan, imageId, ...change } };
};

function set(batch: Batch, list: ShelvedNetwork[] = []) {
  const api = {
    reveal: () => of({ value: 'kept secret' }),
    revealNetwork: () => of({ value: 'low tide at seven' }),
  };
  const it = bench(batch, providePrimeNG(), { provide: Api, useValue: api });
  it.act(ImagesActions.listCame({ list: [image] }));
  it.act(NetworksActions.listCame({ list }));
  const plan = (): Plan => it.store.selectSignal(batchFeature.selectPlan)()!;
  return { ...it, plan };
}
async function draw<T>(
  component: Type<T>,
  inputs: Record<string, unknown> = {},
): Promise<ComponentFixture<T>> {
  const fixture = TestBed.createComponent(component);
  for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
  await fixture.whenStable();
  return fixture;
}
const root = (fixture: ComponentFixture<unknown>): HTMLElement => fixture.nativeElement as HTMLElement;
/** The words on the screen, those of each element apart. */
function textOf(fixture: ComponentFixture<unknown>): string {
  const walker = document.createTreeWalker(root(fixture), NodeFilter.SHOW_TEXT);
  const words: string[] = [];
  while (walker.nextNode()) words.push(walker.currentNode.textContent ?? '');
  return words.join(' ').replace(/\s+/g, ' ').trim();
}
const find = <E extends HTMLElement>(fixture: ComponentFixture<unknown>, query: string): E => {
  const element = root(fixture).querySelector<E>(query);
  if (!element) throw new Error(`${query} is not on the screen`);
  return element;
};
const button = (fixture: ComponentFixture<unknown>, words: string): HTMLButtonElement => {
  const found = [...root(fixture).querySelectorAll('button')].find((entry) =>
    entry.textContent.includes(words),
  );
  if (!found) throw new Error(`no button "${words}"`);
  return found;
};
async function press(fixture: ComponentFixture<unknown>, words: string): Promise<void> {
  button(fixture, words).click();
  await fixture.whenStable();
}
async function type(fixture: ComponentFixture<unknown>, query: string, value: string): Promise<void> {
  const field = find<HTMLInputElement>(fixture, query);
  field.value = value;
  field.dispatchEvent(new Event('input', { bubbles: true }));
  field.dispatchEvent(new Event('blur'));
  await fixture.whenStable();
}

describe('power', () => {
  it('tells what each kind of board gets, and refuses numbers that make no sense', async () => {
    const { plan } = set(batchOf(3));
    const fixture = await draw(PowerPart);
    expect(textOf(fixture)).toContain('tank-01 and 2 more 1.60 A 3.00 A');
    await type(fixture, '[id="f-power.cable.metres"]', '-4');
    await type(fixture, '[id="f-power.cable.awg"]', '22.5');
    expect(plan().power.cable).toMatchObject({ metres: 1, awg: 24 });
    await type(fixture, '[id="f-power.cable.metres"]', '3');
    expect(plan().power.cable.metres).toBe(3);
    expect(textOf(fixture)).toMatch(/gets 4\.\d\d V ; it needs 4\.63 V/);
  });

  it('plugs boards into the sockets that are typed in, and names who finds none', async () => {
    const { plan } = set(batchOf(3));
    const fixture = await draw(PowerPart);
    await press(fixture, 'Add a supply');
    const { id } = plan().power.supplies[0]!;
    await type(fixture, `#s-ports-${id}`, '3; 2.4, x, 99');
    expect(plan().power.supplies[0]?.ports).toEqual([3, 2.4]);
    expect(textOf(fixture)).toContain('Without a socket: tank-03');
    await press(fixture, 'Remove');
    expect(plan().power.supplies).toEqual([]);
  });

  it('adds what hangs on a role to the boards of that role alone', async () => {
    const { plan } = set(batchOf(2));
    const fixture = await draw(PowerPart);
    [...root(fixture).querySelectorAll('button')]
      .find((entry) => entry.textContent.trim() === 'Add')
      ?.click();
    await fixture.whenStable();
    await type(fixture, '#x-ma-0', '500');
    expect(textOf(fixture)).toContain('tank-01 and 1 more 2.10 A');
    await type(fixture, '#x-role-0', 'pump');
    expect(textOf(fixture)).toContain('tank-01 and 1 more 1.60 A');
    expect(plan().power.peripherals).toEqual([{ title: '', milliamp: 500, role: 'pump' }]);
  });
});

describe('the kit', () => {
  it('counts, prices, and takes off what is in stock; an emptied price is forgotten', async () => {
    const { plan } = set(batchOf(10));
    const fixture = await draw(KitPart);
    const card = '[aria-label^="Price of one: Memory card"]';
    await type(fixture, card, '7.5');
    await type(fixture, '[aria-label^="In stock: Memory card"]', '3');
    expect(textOf(fixture)).toContain('60.00');
    await type(fixture, card, '-1');
    expect(plan().kit.prices).toEqual({ 'card:32:class-10': 7.5 });
    await type(fixture, card, '');
    expect(plan().kit.prices).toEqual({});
    expect(textOf(fixture)).toContain('lines have no price yet');
    await type(fixture, '[id="f-kit.cardGB"]', '64');
    expect(textOf(fixture)).toContain('Systems show it as about 59.6 GiB.');
  });
});

describe('time', () => {
  /** Waits for something that a worker brings about. */
  const until = async (holds: () => boolean): Promise<void> => {
    for (const end = Date.now() + 30_000; !holds() && Date.now() < end;)
      await new Promise((resolve) => setTimeout(resolve, 5));
  };
  const answered = async (fixture: ComponentFixture<unknown>): Promise<void> => {
    await until(() => made.every(({ asked, answers }) => asked.length === answers));
    await fixture.whenStable();
  };

  it('shows a range, what holds it up, and what a minimal image would save', async () => {
    const { plan } = set(batchOf(12));
    const fixture = await draw(TimePart);
    await answered(fixture);
    const text = textOf(fixture);
    expect(text).toMatch(/All done after \d+ min between \d+ min and \d+ min/);
    expect(text).toContain('in 3 rounds');
    expect(text).toMatch(/Updates left for later saves \d+ min/);
    // The planned image has a desktop.
    expect(text).toContain('A minimal image instead of a desktop one');
    await type(fixture, '[id="f-bench.slots"]', '12');
    await answered(fixture);
    expect(textOf(fixture)).toContain('in 1 round');
    await type(fixture, '[id="f-bench.slots"]', '0');
    expect(plan().bench.slots).toBe(12);
  });

  it('says what is missing', async () => {
    set(batchOf(2, { imageId: null }));
    const fixture = await draw(TimePart);
    await answered(fixture);
    expect(textOf(fixture)).toContain('Choose an image first');
  });

  it('answers only the newest of several questions, and asks the worker one at a time', async () => {
    set(batchOf(4));
    const forecaster = TestBed.runInInjectionContext(() => new Forecaster());
    const { plan } = batchOf(4);
    const input = {
      plan,
      images: [{ id: imageId, rawSize: 1e9 }],
      networks: [],
      boards: shippedBoards,
      rates: [],
    };
    for (let turn = 0; turn < 5; turn++) forecaster.ask(input, false);
    expect(forecaster.working()).toBe(true);
    await until(() => !forecaster.working());
    expect(made.at(-1)?.asked).toEqual([1, 5]);
    expect([forecaster.answer()?.turn, forecaster.working()]).toEqual([5, false]);
  });
});

describe('networks of the plan', () => {
  const hall = network({
    id: '88888888-8888-4888-8888-888888888888',
    title: 'Hall',
    ssid: 'Hall',
    heard: false,
  });

  it('says which one the boards will join, why not the others, and where they will appear', async () => {
    const networks = [
      { networkId, priority: 10 },
      { networkId: hall.id, priority: 20 },
    ];
    set(batchOf(2, { networks }), [network({ subnet: '192.168.4.0/24' }), hall]);
    const text = textOf(await draw(NetworkPanel));
    expect(text).toContain('Not joined at the bench: it is not on the air at the bench.');
    expect(text).toContain('At the bench the boards join Bench. It is the only one it can join.');
    expect(text).toContain('Left empty: 192.168.4.0/24, as their network says.');
    // The highest priority stands first.
    expect(text.indexOf('Hall')).toBeLessThan(text.indexOf('Bench'));
  });

  it('tells both services apart where they differ, and leaves out what is left out', async () => {
    const networks = [
      { networkId, priority: 10 },
      { networkId: hall.id, priority: 10 },
    ];
    const { plan } = set(batchOf(2, { networks }), [network(), { ...hall, heard: true, security: 'open' }]);
    const fixture = await draw(NetworkPanel);
    expect(textOf(fixture)).toContain('Images with NetworkManager join Bench or Hall.');
    expect(textOf(fixture)).toContain('Images with wpa_supplicant alone join Bench.');
    await type(fixture, `#priority-${hall.id}`, '2000');
    await type(fixture, `#priority-${hall.id}`, '30');
    expect(plan().networks[1]).toEqual({ networkId: hall.id, priority: 30 });
    await press(fixture, 'Leave out');
    expect(plan().networks).toHaveLength(1);
  });
});

describe('one network', () => {
  it('reads channels of every band, shows frequencies, and says what goes onto the cards', async () => {
    const { store } = set(batchOf(1), [network()]);
    const fixture = await draw(NetworkEditor, { networkId });
    const edit = () => store.selectSignal(networksFeature.selectEdits)()[networkId]?.network;
    expect(textOf(fixture)).toContain('a key of 64 digits made from the passphrase, never the passphrase');
    await type(fixture, `[id="f-net.channels-${networkId}"]`, '6, 36; 5 (6 GHz), 9999');
    expect(edit()?.channels).toEqual([
      { band: '2.4 GHz', channel: 6 },
      { band: '5 GHz', channel: 36 },
      { band: '6 GHz', channel: 5 },
    ]);
    expect(textOf(fixture)).toContain('6 is 2437 MHz, 36 is 5180 MHz, 5 is 5975 MHz');
    await type(fixture, `[id="f-net.poolSize-${networkId}"]`, '-3');
    expect(edit()?.poolSize).toBeNull();
    await type(fixture, `[id="f-net.ssid-${networkId}"]`, 'Ø marsh');
    expect(textOf(fixture)).toContain('Octets on the air: c398206d61727368');
  });

  it('shows a kept key on request and hides it again', async () => {
    set(batchOf(1), [network()]);
    const fixture = await draw(NetworkEditor, { networkId });
    const field = () => find<HTMLInputElement>(fixture, `[id="f-net.secret-${networkId}"]`);
    expect([field().type, field().value]).toEqual(['password', '']);
    await press(fixture, 'Show');
    expect([field().type, field().value]).toEqual(['text', 'low tide at seven']);
    await press(fixture, 'Hide');
    expect([field().type, field().value]).toEqual(['password', '']);
  });
});

describe('who can log in', () => {
  it('lists the keys as they are, makes a password, and adds further users', async () => {
    const batch = batchOf(2);
    batch.plan.access = { ...batch.plan.access, keys: userKey, passwordLogin: true };
    const { plan, store } = set(batch);
    const fixture = await draw(AccessPanel);
    expect(textOf(fixture)).toContain('ssh-ed25519 256 · mara@bench · SHA256:');
    await press(fixture, 'Make one (');
    expect(store.selectSignal(batchFeature.selectTyped)().userPassword).toMatch(/^[a-zA-Z2-9]{16}$/);
    await press(fixture, 'Add a further user');
    await type(fixture, '[id="f-access.others.0.name"]', 'helper');
    expect(plan().access.others).toEqual([{ name: 'helper', keys: '', sudo: false }]);
    await press(fixture, 'Remove');
    expect(plan().access.others).toEqual([]);
  });
});

describe('a board profile', () => {
  it('is handed over only when it is whole, with what is wrong said beside it', async () => {
    set(batchOf(1));
    const board = { ...boardProfiles[0]!, version: 0, origin: 'own' as const };
    const fixture = await draw(BoardForm, { board });
    const saved: unknown[] = [];
    fixture.componentInstance.saved.subscribe((given) => saved.push(given));
    await type(fixture, '#board-speed', '0');
    expect(textOf(fixture)).toContain('Speed against full-size:');
    find(fixture, 'form').dispatchEvent(new Event('submit'));
    expect(saved).toEqual([]);
    await type(fixture, '#board-speed', '0.5');
    await type(fixture, '#board-peakMilliamp', '');
    find(fixture, 'form').dispatchEvent(new Event('submit'));
    expect(saved).toEqual([{ ...board, speed: 0.5, peakMilliamp: null }]);
  });
});
