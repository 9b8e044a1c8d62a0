import { createSelector } from '@ngrx/store';
import {
  deviceFacts,
  checkPlan,
  imageFacts,
  type Device,
  type DeviceFacts,
  type DeviceProgress,
  type Finding,
  type ImageFacts,
  type PlanView,
} from '@nest-mark/core';
import { batchFeature, type SaveState } from './batch.reducer';
import { boardsFeature } from './boards.reducer';
import { imagesFeature } from './images.reducer';
import { networksFeature } from './networks.reducer';
import { progressFeature } from './progress.reducer';
import { selectionFeature } from './selection';

const { selectPlan, selectStored, selectTyped } = batchFeature;

/** Images of the shelf as the rules want them. */
export const selectImageFacts = createSelector(imagesFeature.selectList, (images): ImageFacts[] =>
  (images ?? []).flatMap(imageFacts),
);

export const selectPlanView = createSelector(
  selectPlan,
  selectStored,
  selectTyped,
  selectImageFacts,
  networksFeature.selectFacts,
  boardsFeature.selectList,
  (plan, stored, typed, images, networks, boards): PlanView | null => {
    if (!plan || !stored) return null;
    const { state, faults } = stored.password;
    const value = typed.userPassword;
    const kept: PlanView['password'] = state === 'kept' ? { kind: 'kept', faults } : { kind: 'missing' };
    return {
      plan,
      images,
      networks,
      boards,
      password: value === undefined ? kept : { kind: 'typed', value },
      surroundings: stored.surroundings,
    };
  },
);

/** Every finding, from the rules run here as one types. */
export const selectFindings = createSelector(selectPlanView, (view): Finding[] =>
  view ? checkPlan(view) : [],
);

/** Whether everything that was typed is kept: the plan, and the networks that are edited beside it. */
export const selectKept = createSelector(
  batchFeature.selectSave,
  networksFeature.selectEdits,
  (plan, edits): SaveState => {
    const states = [plan, ...Object.values(edits).map(({ save }) => save)];
    const worst: readonly SaveState[] = ['conflict', 'failed', 'saving', 'changed'];
    return worst.find((state) => states.includes(state)) ?? 'saved';
  },
);

export const selectStops = createSelector(selectFindings, (findings) =>
  findings.filter(({ severity }) => severity === 'stops'),
);

export const selectDevices = createSelector(selectPlan, (plan): readonly Device[] => plan?.devices ?? []);

/** Devices and what is known of them, for rings, words and times. */
export interface DeviceView {
  device: Device;
  facts: DeviceFacts;
  progress: DeviceProgress | null;
}

export const selectDeviceViews = createSelector(
  selectPlan,
  selectStops,
  progressFeature.selectProgress,
  boardsFeature.selectList,
  (plan, stops, progress, boards): DeviceView[] => {
    if (!plan) return [];
    const byId = new Map(progress?.devices.map((entry) => [entry.deviceId, entry]));
    const stopsAll = stops.some(({ deviceId }) => deviceId === undefined);
    const stopped = new Set(stops.map(({ deviceId }) => deviceId));
    return plan.devices.map((device): DeviceView => {
      const entry = byId.get(device.id) ?? null;
      return {
        device,
        progress: entry,
        facts: deviceFacts(
          plan,
          device,
          entry,
          boards,
          progress?.arrivals ?? {},
          stopsAll || stopped.has(device.id),
        ),
      };
    });
  },
);

export const selectSelectedDevices = createSelector(
  selectDeviceViews,
  selectionFeature.selectIds,
  (views, ids) => {
    const chosen = new Set(ids);
    return views.filter(({ device }) => chosen.has(device.id));
  },
);
