import { inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import {
  adopt,
  adoptIntoPlan,
  leftOut,
  type AdoptedNetwork,
  type BootFiles,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { Api } from '../api/api';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { methodsFeature } from '../state/methods.reducer';
import { draw } from '../ui/random';

/** Takes what a card says into the open plan. */
@Injectable()
export class Adopter {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly methods = this.store.selectSignal(methodsFeature.selectList);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);

  /** A network of the same name on the shelf is used as it is; others are put there with their keys. */
  private async shelve(networks: readonly AdoptedNetwork[]): Promise<{ ids: string[]; kept: string[] }> {
    const shelf: ShelvedNetwork[] = await firstValueFrom(this.api.networks());
    const ids: string[] = [];
    const kept: string[] = [];
    for (const { network, secret } of networks) {
      const there = shelf.find(
        ({ ssid, ssidForm }) => ssid === network.ssid && ssidForm === network.ssidForm,
      );
      if (there) kept.push(network.title);
      ids.push((there ?? (await firstValueFrom(this.api.addNetwork({ network, secret })))).id);
    }
    return { ids, kept };
  }

  /** @returns what a person has to know afterwards */
  async take(boot: BootFiles): Promise<string[]> {
    const adopted = adopt(boot, this.methods());
    if (!this.plan()) return ['No batch is open. Open one, then take the settings over.'];
    const { ids, kept } = await this.shelve(adopted.networks);
    // As it is now: it may have been edited meanwhile.
    const plan = this.plan();
    if (!plan) return ['The batch was closed meanwhile; its networks are on the shelf.'];
    this.store.dispatch(BatchActions.edited({ plan: adoptIntoPlan(plan, adopted, ids, draw), field: '' }));
    return [
      `${adopted.hostName ?? 'A device without a name'} is in the plan ${plan.name} now. Undo on the Plan page takes it out again.`,
      ...kept.map((name) => `The network "${name}" was on the shelf already and was left as it is.`),
      ...leftOut(plan, adopted),
    ];
  }
}
