import { createSelector } from '@ngrx/store';
import { goesOn, progressFeature } from '../state/progress.reducer';
import { selectDeviceViews, type DeviceView } from '../state/selectors';

const carded = ({ facts }: DeviceView): boolean => facts.card?.state === 'verified';

/** Whether a search is under way. */
export const selectSearching = createSelector(progressFeature.selectProgress, (progress) => {
  const search = progress?.search;
  return search ? goesOn(search) : false;
});

/** Devices with a verified card that no proof was had of. */
export const selectMissing = createSelector(selectDeviceViews, (views) =>
  views.filter((view) => carded(view) && view.facts.seen?.standing !== 'proved'),
);

/** Devices with a verified card that were not noted as powered. */
export const selectUnpowered = createSelector(selectDeviceViews, (views) =>
  views.filter((view) => carded(view) && view.facts.poweredAt === null && !view.facts.seen),
);
