import { ChangeDetectionStrategy, Component, computed, HostListener, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { Finding, QuickFix, Severity } from '@nest-mark/core';
import { MendFinding } from '../state/mend-finding';
import { selectionFeature } from '../state/selection';
import { selectFindings } from '../state/selectors';
import { fieldId } from '../ui/focus-field';
import { GoToFinding } from './go-to-finding';

const order: readonly Severity[] = ['stops', 'warns', 'note'];
/** More than this many of one rule are folded into a count. */
const shownPerRule = 6;

interface Item {
  finding: Finding;
  fix: QuickFix | null;
}

/** What the checks say about the plan, or about the selected devices first. */
@Component({
  selector: 'nm-findings-column',
  imports: [RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './findings-column.html',
  styleUrl: './findings-column.css',
})
export class FindingsColumn {
  private readonly store = inject(Store);
  private readonly places = inject(GoToFinding);
  private readonly findings = this.store.selectSignal(selectFindings);
  protected readonly mending = inject(MendFinding);
  private readonly selected = this.store.selectSignal(selectionFeature.selectIds);

  protected readonly items = computed((): Item[] => {
    const chosen = new Set(this.selected());
    const rank = (finding: Finding): number =>
      order.indexOf(finding.severity) * 2 +
      (finding.deviceId !== undefined && chosen.has(finding.deviceId) ? 0 : 1);
    const perRule = new Map<string, number>();
    return [...this.findings()]
      .sort((a, b) => rank(a) - rank(b))
      .filter(({ rule }) => {
        const count = (perRule.get(rule) ?? 0) + 1;
        perRule.set(rule, count);
        return count <= shownPerRule;
      })
      .map((finding) => ({ finding, fix: this.mending.fixOf(finding) }));
  });
  protected readonly hidden = computed(() => this.findings().length - this.items().length);
  protected readonly counts = computed(() =>
    order
      .map((severity) => ({
        severity,
        count: this.findings().filter((finding) => finding.severity === severity).length,
      }))
      .filter(({ count }) => count > 0),
  );

  /** F8 goes to the field of the first finding, or from there to that of the next one. */
  @HostListener('document:keydown.f8', ['$event'])
  protected goOn(event: Event): void {
    const all = this.items();
    const here = all.findIndex(({ finding: { place, deviceId, networkId } }) => {
      const id = document.activeElement?.id;
      return id === fieldId(place, deviceId ?? networkId) || id === fieldId(place);
    });
    const next = all[(here + 1) % all.length];
    if (next) this.go(next.finding);
    event.preventDefault();
  }

  protected go(finding: Finding): void {
    this.places.go(finding);
  }
}
