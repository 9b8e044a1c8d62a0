import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { Answer, CaseView, CauseId, MendPlace } from '@nest-mark/core/api';
import { Button } from 'primeng/button';
import { PracticeHands } from '../practice/practice-hands';
import { batchFeature } from '../state/batch.reducer';
import { selectPractice } from '../state/station.reducer';
import { moment } from '../ui/moment';
import { BootActions, bootFeature } from './boot.reducer';
import { DrillStrip } from './drill-strip';

/** Where each cause is mended, below the batch. */
const places: Readonly<Record<MendPlace, { path: string[]; title: string }>> = {
  boot: { path: ['boot'], title: '' },
  cards: { path: ['cards'], title: 'Go to Cards' },
  'card-check': { path: ['card-check'], title: 'Go to Card check' },
  networks: { path: ['networks'], title: 'Go to the shelf of networks' },
  image: { path: ['plan', 'image'], title: 'Go to Image & board' },
  power: { path: ['plan', 'power'], title: 'Go to Power' },
};

/** More nests than this are not told one by one. */
const NAMED = 6;

const words: Record<Answer, string> = { yes: 'yes', no: 'no', unsure: 'cannot say' };

function heading({ devices }: CaseView): string {
  const [first] = devices;
  if (devices.length === 1 && first) return `${first.hostName} (${first.nest}) does not appear`;
  const nests = devices.map(({ nest }) => nest);
  const some =
    nests.length > NAMED
      ? `${nests.slice(0, NAMED).join(', ')} and ${String(nests.length - NAMED)} more`
      : nests.join(', ');
  return `${String(devices.length)} boards do not appear: ${some}`;
}

const duration = (minutes: number): string =>
  minutes < 1 ? 'less than a minute' : `about ${String(Math.round(minutes))} min`;

/** Why boards that were powered are not there: the next look, asked one at a time, until the cause is known. */
@Component({
  selector: 'nm-not-there',
  imports: [Button, DrillStrip, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './not-there.html',
  styleUrl: './not-there.css',
})
export class NotThere {
  private readonly store = inject(Store);
  private readonly hands = inject(PracticeHands);
  private readonly practice = this.store.selectSignal(selectPractice);
  private readonly cases = this.store.selectSignal(bootFeature.selectCases);
  protected readonly problem = this.store.selectSignal(bootFeature.selectCaseProblem);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  protected readonly words = words;
  /** Whether boards are asked about that are still within their usual time. */
  protected readonly early = signal(false);
  /** What the person takes for the cause, by the first device of a case. */
  private readonly picked = signal<Readonly<Record<string, CauseId | undefined>>>({});

  protected readonly drill = computed(() => {
    const drill = this.hands.view()?.drill;
    return drill?.batchId === this.batchId() ? drill : null;
  });
  protected readonly drilling = computed(() => this.drill()?.outcome === 'open');

  /** Boards that are asked about only when a person wants it. */
  protected readonly waiting = computed(() =>
    (this.cases() ?? []).filter(({ due }) => !due).reduce((sum, { devices }) => sum + devices.length, 0),
  );
  protected readonly rows = computed(() =>
    (this.cases() ?? [])
      .filter(({ due }) => due || this.early())
      .map((one) => {
        const id = one.devices[0]?.deviceId ?? '';
        const nest = one.devices[0]?.nest ?? '';
        const open = one.mended.find(({ inVain }) => !inVain);
        const chosen = this.picked()[id] ?? one.found;
        const mending = one.causes.find((cause) => cause.id === chosen);
        return {
          ...one,
          id,
          nest,
          heading: heading(one),
          deviceIds: one.devices.map(({ deviceId }) => deviceId),
          minutes: one.next ? duration(one.next.minutes) : '',
          saw:
            this.drill()?.looks.find((look) => look.check === one.next?.check && look.nest === nest)?.saw ??
            '',
          open: open && { ...open, when: moment(open.at) },
          mending: mending && { ...mending, where: places[mending.place], sure: chosen === one.found },
          said: one.said.map((said) => ({ ...said, words: words[said.answer] })),
          vain: one.mended.filter(({ inVain }) => inVain),
        };
      }),
  );

  constructor() {
    this.store.dispatch(BootActions.casesWanted());
    inject(DestroyRef).onDestroy(() => this.store.dispatch(BootActions.casesLeft()));
    if (this.practice()) this.hands.enter();
  }

  protected pick(id: string, cause: CauseId | undefined): void {
    this.picked.update((all) => ({ ...all, [id]: cause }));
  }

  protected look(check: NonNullable<CaseView['next']>['check'], nest: string): void {
    this.hands.act({ do: 'look', check, nest });
  }

  protected say(one: { deviceIds: string[]; next: CaseView['next'] }, answer: Answer): void {
    if (!one.next) return;
    const { check } = one.next;
    this.store.dispatch(BootActions.caseAnswered({ deviceIds: one.deviceIds, check, answer }));
  }

  protected takeBack(deviceIds: string[], check: CaseView['said'][number]['check']): void {
    this.store.dispatch(BootActions.caseUnsaid({ deviceIds, check }));
  }

  protected mended(one: { id: string; deviceIds: string[] }, cause: CauseId, inVain: boolean): void {
    this.pick(one.id, undefined);
    // A drill is no experience of this bench: what it hid is not learnt.
    if (this.drilling()) this.hands.act({ do: 'mend', cause });
    else this.store.dispatch(BootActions.caseMended({ deviceIds: one.deviceIds, cause, inVain }));
  }
}
