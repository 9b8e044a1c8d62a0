import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { fileSlug, isJumpHost, isSure } from '@nest-mark/core';
import type { KnownHostsChange, Problem } from '@nest-mark/core/api';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { firstValueFrom } from 'rxjs';
import { asProblem } from '../api/api-problem';
import { HandOverApi } from '../api/hand-over-api';
import { batchFeature } from '../state/batch.reducer';
import { selectDeviceViews } from '../state/selectors';
import { FileLook, type OfferedFile } from './file-look';

/** What the login client of whoever takes the boards over needs. */
@Component({
  selector: 'nm-login-part',
  imports: [Button, FileLook, FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './login-part.html',
  styleUrl: './parts.css',
})
export class LoginPart {
  private readonly store = inject(Store);
  private readonly api = inject(HandOverApi);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  protected readonly typedPath = signal<string | null>(null);
  protected readonly jump = signal('');
  protected readonly hashed = signal(false);
  protected readonly own = signal('~/.ssh/known_hosts');
  protected readonly change = signal<KnownHostsChange | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly done = signal('');

  protected readonly name = computed(() => fileSlug(this.plan()?.name ?? ''));
  protected readonly path = computed(() => this.typedPath() ?? `~/.ssh/known_hosts.${this.name()}`);
  protected readonly jumpFault = computed(() => this.jump().trim() !== '' && !isJumpHost(this.jump().trim()));
  protected readonly others = computed(() => this.plan()?.access.others.map(({ name }) => name) ?? []);
  protected readonly example = computed(
    () =>
      (this.views().find(({ facts }) => isSure(facts.seen)) ?? this.views()[0])?.device.hostName ?? 'name',
  );
  protected readonly files = computed((): OfferedFile[] => {
    const config = new URLSearchParams({
      knownHosts: this.path(),
      ...(this.jump().trim() === '' || this.jumpFault() ? {} : { jump: this.jump().trim() }),
    });
    return [
      {
        title: 'Known hosts',
        saved: `known_hosts.${this.name()}`,
        path: `known_hosts?hashed=${this.hashed() ? 'yes' : 'no'}`,
        use: 'Every device’s host key, so that the first login asks nothing and a stranger is refused.',
      },
      {
        title: 'SSH client configuration',
        saved: `ssh_config.${this.name()}`,
        path: `ssh_config?${config.toString()}`,
        use: 'One block for each device and user: log in by its name.',
      },
      {
        title: 'Bookmarks',
        saved: `${this.name()}.xbel`,
        path: 'bookmarks.xbel',
        use: 'Addresses of the form ssh://user@host in the open format XBEL, for graphical clients that read it.',
      },
    ];
  });

  protected setOwn(path: string): void {
    this.own.set(path);
    this.change.set(null);
    this.done.set('');
  }

  protected async look(): Promise<void> {
    const id = this.batchId();
    if (id === null) return;
    this.done.set('');
    try {
      this.change.set(
        await firstValueFrom(this.api.lookAtKnownHosts(id, { path: this.own(), hashed: this.hashed() })),
      );
      this.problem.set(null);
    } catch (error) {
      this.change.set(null);
      this.problem.set(asProblem(error));
    }
  }

  protected async merge(): Promise<void> {
    const [id, change] = [this.batchId(), this.change()];
    if (id === null || !change) return;
    try {
      const { path, added, removed, backup } = await firstValueFrom(
        this.api.mergeKnownHosts(id, { path: this.own(), hashed: this.hashed(), digest: change.digest }),
      );
      this.done.set(
        `${path} was changed: ${String(added)} put in, ${String(removed)} of ours taken out.${backup === null ? '' : ` As it was it lies in ${backup}.`}`,
      );
      this.problem.set(null);
    } catch (error) {
      this.problem.set(asProblem(error));
    }
    this.change.set(null);
  }
}
