import { createSelector } from '@ngrx/store';
import { selectDeviceViews, type DeviceView } from '../state/selectors';

const carded = ({ facts }: DeviceView): boolean => facts.card?.state === 'verified';

/** Devices with a verified card that no proof was had of. */
export const selectMissing = createSelector(selectDeviceViews, (views) =>
  views.filter((view) => carded(view) && view.facts.seen?.standing !== 'proved'),
);

/** Devices with a verified card that were not noted as powered. */
export const selectUnpowered = createSelector(selectDeviceViews, (views) =>
  views.filter((view) => carded(view) && view.facts.poweredAt === null && !view.facts.seen),
);
