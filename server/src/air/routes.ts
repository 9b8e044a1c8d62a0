import { ShelvedNetworkSchema } from '@nest-mark/core';
import { AirViewSchema, TryWithSchema, WithAdapterSchema } from '@nest-mark/core/api';
import { IdSchema, route, type Route } from '../platform/http/route';
import { versionOf } from '../platform/http/version';
import { airView, lookAround, tryNetwork } from './air';
import type { Air } from './domain';

export const airRoutes = (air: Air): Route[] => [
  route({
    method: 'get',
    path: '/air',
    summary: 'Adapters of this bench, and what they heard last',
    answer: AirViewSchema,
    run: () => airView(air),
  }),
  route({
    method: 'post',
    path: '/air/look',
    summary: 'Listen to the air for some seconds; nothing is sent',
    body: WithAdapterSchema,
    answer: AirViewSchema,
    problems: ['adapter-missing', 'adapter-busy', 'air-closed'],
    run: ({ body }) => lookAround(air, body.adapter),
  }),
  route({
    method: 'post',
    path: '/networks/:id/try',
    summary:
      'Join a network for a moment to learn whether its key is right; If-Match names the version that was read',
    params: IdSchema,
    body: TryWithSchema,
    answer: ShelvedNetworkSchema,
    problems: [
      'network-missing',
      'network-changed',
      'version-missing',
      'adapter-missing',
      'adapter-busy',
      'adapter-in-use',
      'adapter-not-for-trials',
      'air-closed',
      'key-not-there',
    ],
    run: ({ params, body, request, who }) =>
      tryNetwork(air, params.id, versionOf(request.headers['if-match']), body, who),
  }),
];
