import { createSelector } from '@ngrx/store';
import {
  boardProfile,
  checkPlan,
  type Device,
  type DeviceFacts,
  type DeviceProgress,
  type Finding,
  type ImageFacts,
  type PlanView,
  type SecretKind,
  type SecretView,
} from '@nest-mark/core';
import { batchFeature } from './batch.reducer';
import { imagesFeature } from './images.reducer';
import { progressFeature } from './progress.reducer';
import { selectionFeature } from './selection';

const { selectPlan, selectStored, selectTyped } = batchFeature;

/** Places in the plan whose secrets only the server can judge once they are kept. */
const secretPlaces: Record<SecretKind, string> = {
  wifiPassphrase: 'wifi.passphrase',
  userPassword: 'access.password',
};

const selectImageFacts = createSelector(
  selectPlan,
  imagesFeature.selectList,
  (plan, images): ImageFacts | null => {
    const image = images?.find(({ id }) => id === plan?.imageId);
    if (!image || image.state !== 'ready' || image.rawSize === null) return null;
    return { id: image.id, title: image.title, method: image.method, rawSize: image.rawSize };
  },
);

const selectPlanView = createSelector(
  selectPlan,
  selectStored,
  selectTyped,
  selectImageFacts,
  (plan, stored, typed, image): PlanView | null => {
    if (!plan || !stored) return null;
    const secret = (kind: SecretKind): SecretView => {
      const value = typed[kind];
      return value === undefined ? { kind: stored.secrets[kind] } : { kind: 'typed', value };
    };
    return {
      plan,
      image,
      secrets: { wifiPassphrase: secret('wifiPassphrase'), userPassword: secret('userPassword') },
    };
  },
);

/** Every finding, from the rules run here as one types; of kept secrets the server's word is added. */
export const selectFindings = createSelector(selectPlanView, selectStored, (view, stored): Finding[] => {
  if (!view || !stored) return [];
  const kept = (Object.keys(secretPlaces) as SecretKind[]).filter(
    (kind) => view.secrets[kind].kind === 'kept',
  );
  const places = new Set(kept.map((kind) => secretPlaces[kind]));
  const here = checkPlan(view);
  const there = stored.findings.filter(
    (finding) => places.has(finding.place) && !here.some((other) => other.message === finding.message),
  );
  return [...here, ...there];
});

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
  (plan, stops, progress): DeviceView[] => {
    if (!plan) return [];
    const byId = new Map(progress?.devices.map((entry) => [entry.deviceId, entry]));
    const { firstBootSeconds } = boardProfile(plan.boardProfileId);
    const stopsAll = stops.some(({ deviceId }) => deviceId === undefined);
    const stopped = new Set(stops.map(({ deviceId }) => deviceId));
    return plan.devices.map((device): DeviceView => {
      const entry = byId.get(device.id) ?? null;
      return {
        device,
        progress: entry,
        facts: {
          stopped: stopsAll || stopped.has(device.id),
          card: entry?.card ?? null,
          poweredAt: entry?.poweredAt ?? null,
          seen: entry?.seen ?? null,
          handedOverAt: entry?.handedOverAt ?? null,
          firstBootSeconds,
        },
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
