import { createSelector } from '@ngrx/store';
import { goesOn, progressFeature } from '../state/progress.reducer';
import { selectDeviceViews, type DeviceView } from '../state/selectors';

const carded = ({ facts }: DeviceView): boolean => facts.card?.state === 'verified';

/** Whether a search is under way. */
export const selectSearching = createSelector(progressFeature.selectProgress, (progress) => {
  const search = progress?.search;
  return search ? goesOn(search) : false;
});

/** Whether somebody listens for this batch's boards. */
export const selectListening = createSelector(progressFeature.selectProgress, (progress) =>
  ['queued', 'running'].includes(progress?.watch?.state ?? ''),
);

/** Whether boards are looked for in any way. */
export const selectLooking = createSelector(
  selectSearching,
  selectListening,
  (searching, listening) => searching || listening,
);

/** Devices with a verified card that no proof was had of. */
export const selectMissing = createSelector(selectDeviceViews, (views) =>
  views.filter((view) => carded(view) && view.facts.seen?.standing !== 'proved'),
);

/** Devices with a verified card that were not noted as powered. */
export const selectUnpowered = createSelector(selectDeviceViews, (views) =>
  views.filter((view) => carded(view) && view.facts.poweredAt === null && !view.facts.seen),
);
