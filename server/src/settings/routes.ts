import { StationSettingsSchema } from '@nest-mark/core';
import { route, type Route } from '../platform/http/route';
import { record } from '../platform/log/record';
import type { Settings } from './domain';

export const settingRoutes = (settings: Settings): Route[] => [
  route({
    method: 'get',
    path: '/settings/station',
    summary: 'What is set at this station',
    answer: StationSettingsSchema,
    run: () => settings.repository.station(),
  }),
  route({
    method: 'put',
    path: '/settings/station',
    summary: 'Set this station: largest card, memory, real readers, practice bench, sound',
    body: StationSettingsSchema,
    answer: StationSettingsSchema,
    run: async ({ body }) => {
      const before = await settings.repository.station();
      await settings.repository.setStation(body);
      if (before.largestGB !== body.largestGB)
        await record(settings, {
          kind: 'settings',
          text: `The largest medium that is written was set to ${String(body.largestGB)} GB; it was ${String(before.largestGB)} GB.`,
        });
      if (before.realReaders !== body.realReaders)
        await record(settings, {
          kind: 'settings',
          text: `The card readers of this computer are ${body.realReaders ? 'offered' : 'no longer offered'}.`,
        });
      if (before.practice !== body.practice)
        await record(settings, {
          kind: 'settings',
          text: `The practice bench was ${body.practice ? 'brought out' : 'put away'}.`,
        });
      settings.events.send({ type: 'settings' });
      settings.events.send({ type: 'slots' });
      return body;
    },
  }),
];
