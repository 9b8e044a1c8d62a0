import { ChangeDetectionStrategy, Component, computed, effect, inject, input } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  bothSizes,
  bringBack,
  compareNests,
  deviceStanding,
  heldCards,
  mayBeHandedOver,
  mayBePowered,
  retire,
  settingsOf,
  settingWords,
  staysOf,
  whatStays,
  type Held,
} from '@nest-mark/core';
import { PlanEditor } from '../plan/plan-editor';
import { StepMark } from '../bring-up/step-mark';
import { boardWord, stateWords } from '../bring-up/step-words';
import { printLabel } from '../cards/print-label';
import { DevicePassword } from '../hand-over/device-password';
import { GoToFinding } from '../shell/go-to-finding';
import { OpenPassport } from '../shell/open-passport';
import { batchFeature } from '../state/batch.reducer';
import { boardsFeature } from '../state/boards.reducer';
import { Clock } from '../state/clock';
import { networksFeature } from '../state/networks.reducer';
import { ProgressActions } from '../state/progress.reducer';
import { SelectionActions } from '../state/selection';
import { selectDeviceViews, selectFindings, selectImageFacts } from '../state/selectors';
import { Ring } from '../tray/ring';
import { sameRing } from '../tray/stable-rings';
import { standingWords } from '../tray/words';
import { LongValue } from '../ui/long-value';
import { moment } from '../ui/moment';
import { ReadPassport } from './read-passport';
import { Retirement } from './retirement';

const heldWords: Record<Held, string> = {
  now: 'its card now',
  twice: 'carries it still: do not start both',
  gone: 'written for another or changed since',
  never: 'never became its card',
};

/** Everything about one board on one page, and what can be done with it now. */
@Component({
  selector: 'nm-passport-page',
  imports: [DevicePassword, LongValue, Retirement, Ring, RouterLink, StepMark],
  providers: [ReadPassport],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './passport-page.html',
  styleUrl: './passport-page.css',
  host: { '(document:keydown)': 'onKey($event)' },
})
export class PassportPage {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly clock = inject(Clock);
  private readonly places = inject(GoToFinding);
  private readonly passports = inject(OpenPassport);
  private readonly reader = inject(ReadPassport);
  private readonly editor = inject(PlanEditor);
  /** From the page's address. */
  readonly deviceId = input.required<string>();
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly findings = this.store.selectSignal(selectFindings);
  private readonly images = this.store.selectSignal(selectImageFacts);
  private readonly boards = this.store.selectSignal(boardsFeature.selectList);
  private readonly networks = this.store.selectSignal(networksFeature.selectFacts);
  protected readonly problem = this.reader.problem;
  protected readonly passport = this.reader.passport;

  private readonly inOrder = computed(() =>
    [...this.views()].sort((a, b) => compareNests(a.device.nest, b.device.nest)),
  );
  private readonly at = computed(() =>
    this.inOrder().findIndex(({ device }) => device.id === this.deviceId()),
  );
  protected readonly view = computed(() => this.inOrder()[this.at()]);
  protected readonly retired = computed(() => {
    const retired = this.view() ? null : (this.passport()?.retired ?? null);
    return retired && { device: retired.device, since: moment(retired.at), reason: retired.reason };
  });
  /** As it is planned, or as it was when it left the plan. */
  protected readonly when = (at: number): string => moment(at);
  /** When its secrets were destroyed here, in words; empty while they were not. */
  protected readonly secretsGone = computed(() => {
    const at = this.passport()?.secretsForgottenAt ?? null;
    return at === null ? '' : moment(at);
  });
  protected readonly device = computed(() => this.view()?.device ?? this.retired()?.device ?? null);
  /** Only what is in the plan can be selected. */
  private readonly planned = computed(() => this.view() !== undefined);
  protected readonly before = computed(() => this.inOrder()[this.at() - 1]?.device);
  protected readonly after = computed(() =>
    this.at() < 0 ? undefined : this.inOrder()[this.at() + 1]?.device,
  );

  protected readonly standing = computed(() => {
    const view = this.view();
    if (!view) return null;
    const now = this.clock.now();
    const standing = deviceStanding(view.facts, now);
    return { ...standing, words: standingWords(standing, now) };
  });
  protected readonly ring = computed(() => this.standing()?.ring ?? [], { equal: sameRing });
  protected readonly settings = computed(() => {
    const plan = this.plan();
    const device = this.device();
    if (!plan || !device) return [];
    const titleIn =
      (list: readonly { id: string; title: string }[]) =>
      (id: string): string | undefined =>
        list.find((one) => one.id === id)?.title;
    const networkNamed = (id: string): string | undefined => {
      const network = this.networks().find((one) => one.id === id);
      return network && (network.title || network.ssid);
    };
    return settingWords(plan, device, {
      board: titleIn(this.boards()),
      image: titleIn(this.images()),
      network: networkNamed,
    });
  });
  protected readonly byPassword = computed(() => {
    const plan = this.plan();
    const device = this.device();
    return (
      plan !== null &&
      device !== null &&
      plan.access.passwordScope === 'each' &&
      settingsOf(plan, device).passwordLogin
    );
  });
  protected readonly about = computed(() =>
    this.findings().filter(({ deviceId }) => deviceId === this.deviceId()),
  );
  protected readonly cards = computed(() => {
    const cards = this.passport()?.cards ?? [];
    const held = heldCards(cards);
    return cards.map((card, index) => ({
      ...card,
      held: held[index] ?? 'never',
      standing: heldWords[held[index] ?? 'never'],
      when: moment(card.at),
      what: [card.model, card.size === null ? '' : bothSizes(card.size)].filter(Boolean).join(', '),
    }));
  });
  protected readonly rewriting = computed(() => {
    const plan = this.plan();
    const view = this.view();
    return plan && view && this.cards().length > 0
      ? whatStays(plan, view.device, this.secretsGone() !== '')
      : null;
  });
  protected readonly stays = computed(() =>
    staysOf(this.passport()?.sightings ?? []).map((stay) => ({
      ...stay,
      since: moment(stay.from),
      until: moment(stay.to),
    })),
  );
  protected readonly broughtUp = computed(() =>
    (this.passport()?.broughtUp ?? []).map((time) => ({
      ...time,
      when: moment(time.at),
      word: boardWord(time),
      hand: time.state === 'hand',
      steps: time.steps.map((step) => ({ ...step, ...stateWords(step.state), when: moment(step.at) })),
    })),
  );
  protected readonly kept = computed(() =>
    (this.passport()?.terminals ?? []).map((one) => ({ ...one, when: moment(one.at) })),
  );
  protected readonly seen = computed(() => this.view()?.progress?.seen ?? null);
  protected readonly log = computed(() =>
    this.reader.log().map((entry) => ({ ...entry, when: moment(entry.at) })),
  );
  protected readonly powered = computed(() => {
    const at = this.view()?.facts.poweredAt ?? null;
    return at === null ? '' : moment(at);
  });
  protected readonly canPower = computed(() => {
    const view = this.view();
    return view !== undefined && mayBePowered(view.facts);
  });
  protected readonly canHandOver = computed(() => {
    const view = this.view();
    return view !== undefined && mayBeHandedOver(view.facts);
  });

  constructor() {
    effect(() => {
      const batchId = this.batchId();
      const deviceId = this.deviceId();
      if (batchId === null) return;
      this.reader.look(batchId, deviceId);
      if (this.planned()) this.store.dispatch(SelectionActions.set({ ids: [deviceId] }));
    });
  }

  /** N and P go to the next and to the previous device. */
  protected onKey(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.target instanceof Element && event.target.closest('input, textarea, [role="grid"], .p-dialog'))
      return;
    const key = event.key.toLowerCase();
    const to = key === 'n' ? this.after() : key === 'p' ? this.before() : undefined;
    if (to) this.open(to.id);
  }

  protected open(deviceId: string): void {
    this.passports.open(deviceId);
  }

  protected power(): void {
    this.store.dispatch(ProgressActions.poweredNoted({ deviceIds: [this.deviceId()] }));
  }

  protected handOver(): void {
    this.store.dispatch(ProgressActions.handOverNoted({ deviceIds: [this.deviceId()] }));
  }

  protected retire(): void {
    this.editor.edit((plan) => retire(plan, this.deviceId()));
    this.store.dispatch(SelectionActions.cleared());
  }

  protected bringBack(): void {
    const device = this.retired()?.device;
    if (device) this.editor.edit((plan) => bringBack(plan, device));
  }

  protected label(): void {
    const device = this.device();
    if (device) printLabel(device);
  }

  /** To a stage, where this device is the one that is selected. */
  protected stage(...path: string[]): void {
    void this.router.navigate(['/batch', this.batchId(), ...path]);
  }

  protected mend(finding: Parameters<GoToFinding['go']>[0]): void {
    this.places.go(finding);
  }
}
