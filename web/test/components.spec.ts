import type { ComponentFixture } from '@angular/core/testing';
import { TestBed } from '@angular/core/testing';
import type { Type } from '@angular/core';
import { providePrimeNG } from 'primeng/config';
import { emptyNetwork, targetSteps, type CardRecord, type ProposedCard, type Round } from '@nest-mark/core';
import { ArmDialog } from '../src/app/cards/arm-dialog';
import { CardsActions, cardsFeature } from '../src/app/cards/cards.reducer';
import { SlotPanel } from '../src/app/cards/slot-panel';
import type { SlotView } from '../src/app/cards/slots';
import { AddDevices } from '../src/app/plan/add-devices';
import { ChosenDevices } from '../src/app/plan/chosen-devices';
import { Rail } from '../src/app/shell/rail';
import { BatchActions } from '../src/app/state/batch.actions';
import { batchFeature } from '../src/app/state/batch.reducer';
import { NetworksActions } from '../src/app/state/networks.reducer';
import { ProgressActions } from '../src/app/state/progress.reducer';
import { SelectionActions, selectionFeature } from '../src/app/state/selection';
import { Tray } from '../src/app/tray/tray';
import { bench } from './helpers/store';
import { batchId, tankBatch } from './helpers/plan';
import { proposedCard, slotView } from './helpers/slots';
import { noProgress } from './helpers/progress';

const batch = tankBatch(4);
const [first] = batch.plan.devices;

async function draw<T>(
  component: Type<T>,
  inputs: Record<string, unknown> = {},
): Promise<ComponentFixture<T>> {
  const fixture = TestBed.createComponent(component);
  for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
  await fixture.whenStable();
  return fixture;
}
/** The words on the screen, those of each element apart. */
function textOf(fixture: ComponentFixture<unknown>): string {
  const walker = document.createTreeWalker(fixture.nativeElement as HTMLElement, NodeFilter.SHOW_TEXT);
  const words: string[] = [];
  while (walker.nextNode()) words.push(walker.currentNode.textContent ?? '');
  return words.join(' ').replace(/\s+/g, ' ').trim();
}
const find = <E extends HTMLElement>(root: ParentNode, query: string): E => {
  const element = root.querySelector<E>(query);
  if (!element) throw new Error(`${query} is not on the screen`);
  return element;
};
async function type(
  fixture: ComponentFixture<unknown>,
  root: ParentNode,
  query: string,
  value: string,
): Promise<void> {
  const field = find<HTMLInputElement>(root, query);
  field.value = value;
  field.dispatchEvent(new Event('input', { bubbles: true }));
  await fixture.whenStable();
}

const proposed = (change: Partial<ProposedCard> = {}): ProposedCard =>
  proposedCard({ deviceId: first!.id, ...change });

const recordOf = (fault: string | null): CardRecord => ({
  key: 'p51a7',
  model: 'Practice card',
  size: 16e9,
  note: '',
  retired: false,
  firstSeen: 0,
  capacity: null,
  writings: [
    {
      at: 0,
      state: fault ? 'failed' : 'verified',
      fault,
      batchName: 'Tanks',
      hostName: 'tank-09',
      mark: 'M',
      nest: 'C1',
      writeRate: 20e6,
      verifyRate: 20e6,
    },
  ],
});

describe('a slot', () => {
  const view = (change: Partial<SlotView>): SlotView => slotView({ proposed: proposed(), ...change });
  const card = {
    slotId: 'slot-1',
    deviceId: first!.id,
    serial: 'p51a7',
    cardKey: 'p51a7',
    share: 0.42,
    rate: 21.5e6,
    secondsLeft: 65,
    message: '',
    at: 0,
    pastCache: null,
  };

  it.each([
    [
      'what is in it and in which sizes',
      view({}),
      /Practice card 16 GB \(14\.9 GiB\) serial p51a7 Holds holiday pictures\./,
    ],
    ['that it is empty', view({ proposed: proposed({ medium: null }) }), /Empty\. Put a card in/],
    [
      'why a card is refused',
      view({ proposed: proposed({ refusal: 'The card is write-protected.' }) }),
      /write-protected/,
    ],
    [
      'how far writing is, how fast, how long',
      view({ writing: { ...card, state: 'writing' }, writingFor: first! }),
      /writing 42 % 21\.5 MB\/s, 1:05 left A1 tank-01 Do not pull it/,
    ],
    [
      'where a verified card goes',
      view({ ended: { ...card, state: 'verified' }, endedFor: first! }),
      /Verified, take it out\. It goes to nest A1 tank-01/,
    ],
    [
      'that a verified card was perhaps read back from memory only',
      view({
        ended: { ...card, state: 'verified', pastCache: false, message: 'From memory.' },
        endedFor: first!,
      }),
      /Verified, take it out\. From memory\. It goes to nest A1/,
    ],
    [
      'what went wrong',
      view({ ended: { ...card, state: 'failed', message: 'Pulled.' }, endedFor: first! }),
      /Failed: tank-01 Pulled\./,
    ],
    [
      'that a failed card can be written again',
      view({
        ended: { ...card, state: 'failed', message: 'Pulled.' },
        endedFor: first!,
        endedIn: { roundId: 'r', again: true },
      }),
      /Pulled\. .*Write it again …/,
    ],
    [
      'what its card has been through, and that it should not be used again',
      view({ record: recordOf('mismatch') }),
      /Written 1 time, 1 failed, last on .* for tank-09\. Retire it: it gave back other data/,
    ],
    [
      'what hands do after soldered flash was written',
      view({
        ended: { ...card, state: 'verified' },
        endedFor: first!,
        steps: targetSteps({ storage: 'emmc', carrierJumpers: 2, carrierSwitch: true }),
      }),
      /Take both jumpers out\. Set the switch back\. Yes, both jumpers are out and the switch is back/,
    ],
    ['that a round is held', view({ writing: { ...card, state: 'writing' }, held: true }), /held 42 % held/],
  ])('says %s', async (_name, slot, expected) => {
    bench(batch, providePrimeNG());
    expect(textOf(await draw(SlotPanel, { slot }))).toMatch(expected);
  });
});

describe('the dialog before erasing', () => {
  const proposal = { cards: [proposed()], blockers: [], waiting: 4, at: 77 };

  it('reads out what goes, stays shut for the wrong words, and sends what was read out', async () => {
    const { store, act } = bench(batch, providePrimeNG());
    act(CardsActions.proposalCame({ proposal }));
    act(CardsActions.armingAsked());
    const fixture = await draw(ArmDialog);
    const text = document.body.textContent.replace(/\s+/g, ' ');
    expect(text).toContain(
      'Slot 1: Practice card, 16 GB (14.9 GiB), serial p51a7. It holds holiday pictures.',
    );
    expect(text).toContain(`Becomes tank-01 (mark ${first!.mark}, nest A1).`);
    const go = (): HTMLButtonElement => find(document.body, 'button[type="submit"]');
    await type(fixture, document.body, '#confirm', 'erase 2');
    expect(go().disabled).toBe(true);
    await type(fixture, document.body, '#confirm', ' Erase 1 ');
    expect(go().disabled).toBe(false);
    const sent = jest.spyOn(store, 'dispatch');
    find(document.body, 'form').dispatchEvent(new Event('submit'));
    const { identity } = proposal.cards[0]!.medium!;
    expect(sent).toHaveBeenCalledWith(
      CardsActions.roundConfirmed({
        request: {
          cards: [{ slotId: 'slot-1', deviceId: first!.id, identity }],
          confirm: 'Erase 1',
          lookedAt: 77,
        },
      }),
    );
    expect(store.selectSignal(cardsFeature.selectSending)()).toBe(true);
    fixture.destroy();
  });

  it('stays shut for a medium that does not look like a card until the sentence about it is typed too', async () => {
    const { store, act } = bench(batch, providePrimeNG());
    const sentence = 'erase the 2 TB disk in slot 1';
    act(
      CardsActions.proposalCame({ proposal: { ...proposal, cards: [proposed({ overruledBy: sentence })] } }),
    );
    act(CardsActions.armingAsked());
    const fixture = await draw(ArmDialog);
    const go = (): HTMLButtonElement => find(document.body, 'button[type="submit"]');
    await type(fixture, document.body, '#confirm', 'erase 1');
    expect(go().disabled).toBe(true);
    await type(fixture, document.body, '#overrule-slot-1', 'erase the disk');
    expect(go().disabled).toBe(true);
    await type(fixture, document.body, '#overrule-slot-1', sentence);
    expect(go().disabled).toBe(false);
    const sent = jest.spyOn(store, 'dispatch');
    find(document.body, 'form').dispatchEvent(new Event('submit'));
    expect(sent.mock.calls[0]?.[0]).toMatchObject({
      request: { cards: [{ slotId: 'slot-1', overrule: sentence }] },
    });
    fixture.destroy();
  });

  it('names only the cards that a resumed round still has to write', async () => {
    const { store, act } = bench(batch, providePrimeNG());
    const ids = batch.plan.devices.map(({ id }) => id);
    const cards: Round['cards'] = ['verified', 'unfinished'].map((state, index) => ({
      slotId: `slot-${String(index + 1)}`,
      deviceId: ids[index]!,
      serial: 's',
      cardKey: 's',
      state: state as 'verified' | 'unfinished',
      share: 0,
      rate: 0,
      secondsLeft: null,
      message: '',
      at: 0,
      pastCache: null,
    }));
    const round: Round = {
      id: '66666666-6666-4666-8666-666666666666',
      batchId,
      number: 1,
      station: 'test',
      begunBy: '',
      state: 'interrupted',
      paused: false,
      startedAt: 0,
      endedAt: 1,
      cards,
    };
    act(
      ProgressActions.came({
        progress: {
          ...noProgress(batchId),
          rounds: [round],
        },
      }),
    );
    const slot = { ...proposed(), slotId: 'slot-2' };
    act(CardsActions.proposalCame({ proposal: { ...proposal, cards: [slot] } }));
    act(CardsActions.resumingAsked({ roundId: round.id }));
    const fixture = await draw(ArmDialog);
    expect(document.querySelectorAll('ol li')).toHaveLength(1);
    await type(fixture, document.body, '#confirm', 'erase 1');
    const sent = jest.spyOn(store, 'dispatch');
    find(document.body, 'form').dispatchEvent(new Event('submit'));
    expect(sent).toHaveBeenCalledWith(
      CardsActions.resumeConfirmed({
        roundId: round.id,
        request: {
          confirm: 'erase 1',
          lookedAt: 77,
          // Without what the person looked at the server refuses it.
          media: [{ slotId: 'slot-2', identity: slot.medium!.identity }],
        },
      }),
    );
    fixture.destroy();
  });
});

describe('adding devices', () => {
  it('shows what a pattern gives before anything is added, and why one gives nothing', async () => {
    const { store } = bench(tankBatch(0), providePrimeNG());
    const fixture = await draw(AddDevices);
    const root = fixture.nativeElement as HTMLElement;
    await type(fixture, root, '#add-pattern', 'buoy-{n}');
    await type(fixture, root, '#add-numbers', '1-3');
    expect(textOf(fixture)).toContain('buoy-1, buoy-2, buoy-3');
    await type(fixture, root, '#add-pattern', 'buoy');
    expect(textOf(fixture)).toContain('Put {n}, {n:02} or {nest} into the pattern');
    expect(find<HTMLButtonElement>(root, 'button[type="submit"]').disabled).toBe(true);
    await type(fixture, root, '#add-pattern', 'buoy-{n:02}');
    find(root, 'form').dispatchEvent(new Event('submit'));
    const devices = store.selectSignal(batchFeature.selectPlan)()!.devices;
    expect(devices.map(({ hostName, nest }) => [hostName, nest])).toEqual([
      ['buoy-01', 'A1'],
      ['buoy-02', 'A2'],
      ['buoy-03', 'A3'],
    ]);
    expect(new Set(devices.map(({ mark }) => mark)).size).toBe(3);
  });

  it('from a table tells line by line what it comes to before anything is taken', async () => {
    const { store } = bench(batch, providePrimeNG());
    const fixture = await draw(AddDevices);
    const root = fixture.nativeElement as HTMLElement;
    find<HTMLInputElement>(root, 'input[value="table"]').dispatchEvent(new Event('change'));
    await fixture.whenStable();
    await type(fixture, root, '#add-table', 'name;role\nreed_1;x\nTANK-01;marsh\nreed_1;y');
    expect(textOf(fixture)).toContain('3 lines: 1 new, 1 changed, 1 left out');
    expect(textOf(fixture)).toContain('left out: it repeats the name of line 2');
    find(root, 'form').dispatchEvent(new Event('submit'));
    const plan = store.selectSignal(batchFeature.selectPlan)()!;
    expect(plan.devices.map(({ hostName, role }) => [hostName, role])).toEqual([
      // The table's spelling counts.
      ['TANK-01', 'marsh'],
      ['tank-02', ''],
      ['tank-03', ''],
      ['tank-04', ''],
      ['reed_1', 'x'],
    ]);
    // One step of undo takes it all back.
    store.dispatch(BatchActions.undone());
    expect(store.selectSignal(batchFeature.selectPlan)()?.devices).toHaveLength(4);
  });
});

describe('the selected devices', () => {
  it('differ from their batch in what is chosen, and go back to it', async () => {
    const { store, act } = bench(batch, providePrimeNG());
    act(SelectionActions.set({ ids: batch.plan.devices.slice(0, 2).map(({ id }) => id) }));
    const fixture = await draw(ChosenDevices);
    const root = fixture.nativeElement as HTMLElement;
    const overrides = (): unknown[] =>
      store
        .selectSignal(batchFeature.selectPlan)()!
        .devices.map((device) => device.overrides);
    await type(fixture, root, '#own-userName', 'warden');
    expect(overrides()).toEqual([{ userName: 'warden' }, { userName: 'warden' }, {}, {}]);
    await type(fixture, root, '#own-userName', '');
    expect(overrides()).toEqual([{}, {}, {}, {}]);
    const shelf = ['a', 'b'].map((name) => ({
      ...emptyNetwork(name),
      id: `${name.repeat(8)}-1111-4111-8111-111111111111`,
      version: 1,
      secret: { state: 'missing' as const, faults: [] },
    }));
    act(NetworksActions.listCame({ list: shelf }));
    const join = (fixture.componentInstance as unknown as { join(id: string): void }).join.bind(
      fixture.componentInstance,
    );
    for (const { id } of shelf) join(id);
    await fixture.whenStable();
    expect(overrides()[1]).toEqual({
      networks: [
        { networkId: shelf[0]!.id, priority: 10 },
        { networkId: shelf[1]!.id, priority: 0 },
      ],
    });
    for (const name of ['a', 'b']) {
      find(root, `[aria-label="Leave out ${name}"]`).click();
      await fixture.whenStable();
    }
    expect(overrides()).toEqual([{}, {}, {}, {}]);
    await type(fixture, root, '#rename-pattern', 'reed');
    find(root, 'form').dispatchEvent(new Event('submit'));
    await fixture.whenStable();
    expect(textOf(fixture)).toContain('all devices get the same name');
    await type(fixture, root, '#rename-pattern', 'reed-{n}');
    find(root, 'form').dispatchEvent(new Event('submit'));
    const names = store
      .selectSignal(batchFeature.selectPlan)()!
      .devices.map(({ hostName }) => hostName);
    expect(names).toEqual(['reed-1', 'reed-2', 'tank-03', 'tank-04']);
  });
});

describe('the tray', () => {
  it('is a grid of all nests, says each device in words, and selects by key', async () => {
    const { store } = bench(batch);
    const fixture = await draw(Tray);
    const root = fixture.nativeElement as HTMLElement;
    expect(root.querySelectorAll('[role="row"]')).toHaveLength(3);
    expect(root.querySelectorAll('[role="gridcell"]')).toHaveLength(12);
    const label = find(root, '[data-nest="A1"]').getAttribute('aria-label');
    expect(label).toBe(`A1, tank-01, mark ${[...first!.mark].join(' ')}, held`);
    const press = (key: string, shiftKey = false): boolean =>
      find(root, '.grid').dispatchEvent(new KeyboardEvent('keydown', { key, shiftKey, bubbles: true }));
    Element.prototype.scrollIntoView = () => undefined;
    press('ArrowRight');
    press('ArrowRight', true);
    const selected = (): string[] => {
      const ids = store.selectSignal(selectionFeature.selectIds)();
      return batch.plan.devices.filter(({ id }) => ids.includes(id)).map(({ nest }) => nest);
    };
    expect(selected()).toEqual(['A2', 'A3']);
    for (const letter of 'k-04') press(letter);
    expect(selected()).toEqual(['A4']);
    press('Escape');
    expect(selected()).toEqual([]);
  });
});

describe('the rail', () => {
  it('counts where devices wait and whose turn it is', async () => {
    bench(batch);
    const text = textOf(await draw(Rail));
    // The plan has no image and no network yet, so every device waits there for a person.
    expect(text).toContain('Plan 4 wait 4 your turn');
    expect(text).toContain('Cards 0 wait');
  });
});
