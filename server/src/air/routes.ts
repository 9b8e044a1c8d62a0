import { ShelvedNetworkSchema } from '@nest-mark/core';
import {
  AirViewSchema,
  SavedViewSchema,
  TakeSavedSchema,
  TryWithSchema,
  WithAdapterSchema,
} from '@nest-mark/core/api';
import { IdSchema, route, type Route } from '../platform/http/route';
import { versionOf } from '../platform/http/version';
import { airView, lookAround, tryNetwork } from './air';
import { once, onceProblems } from '../platform/idempotency/once';
import type { Air } from './domain';
import { savedView, takeSaved } from './saved';

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
    summary: 'Listen to the air for some seconds; no network is joined',
    body: WithAdapterSchema,
    answer: AirViewSchema,
    problems: ['adapter-missing', 'adapter-busy', 'air-closed'],
    run: ({ body }) => lookAround(air, body.adapter),
  }),
  route({
    method: 'get',
    path: '/air/saved',
    summary: 'Networks that this computer has saved for its own use, without their keys',
    answer: SavedViewSchema,
    run: () => savedView(air),
  }),
  route({
    method: 'post',
    path: '/air/saved/take',
    summary: 'Put a network that this computer has saved onto the shelf, with its key',
    body: TakeSavedSchema,
    answer: ShelvedNetworkSchema,
    status: 201,
    problems: [...onceProblems, 'profile-missing', 'profile-closed'],
    run: ({ body, request, who }) => once(air, request, () => takeSaved(air, body.id, who)),
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
