import * as z from 'zod';
import {
  CodePatternSchema,
  NetworkListSchema,
  networkTitle,
  SaveNetworkSchema,
  ShelvedNetworkSchema,
} from '@nest-mark/core';
import { IdSchema, route, type Route } from '../platform/http/route';
import { versionOf } from '../platform/http/version';
import { record } from '../platform/log/record';
import type { Networks } from './domain';
import {
  createNetwork,
  networkCode,
  needNetwork,
  NETWORK_SECRET,
  removeNetwork,
  saveNetwork,
  shelfNetworks,
} from './networks';

export const networkRoutes = (networks: Networks): Route[] => [
  route({
    method: 'get',
    path: '/networks',
    summary: 'The shelf of Wi-Fi networks',
    answer: NetworkListSchema,
    run: () => shelfNetworks(networks),
  }),
  route({
    method: 'post',
    path: '/networks',
    summary: 'Put a network on the shelf',
    body: SaveNetworkSchema,
    answer: ShelvedNetworkSchema,
    status: 201,
    run: ({ body }) => createNetwork(networks, body),
  }),
  route({
    method: 'put',
    path: '/networks/:id',
    summary: 'Save a network; If-Match names the version that was read',
    params: IdSchema,
    body: SaveNetworkSchema,
    answer: ShelvedNetworkSchema,
    problems: ['network-missing', 'network-changed', 'version-missing'],
    run: ({ params, body, request }) =>
      saveNetwork(networks, params.id, versionOf(request.headers['if-match']), body),
  }),
  route({
    method: 'delete',
    path: '/networks/:id',
    summary: 'Take a network off the shelf',
    params: IdSchema,
    problems: ['network-missing', 'network-needed'],
    run: ({ params }) => removeNetwork(networks, params.id),
  }),
  route({
    method: 'post',
    path: '/networks/:id/reveal',
    summary: 'Show the key of a network; this is logged',
    params: IdSchema,
    answer: z.object({ value: z.string().nullable() }),
    problems: ['network-missing'],
    run: async ({ params, who }) => {
      const network = await needNetwork(networks, params.id);
      const value = await networks.vault.get(params.id, NETWORK_SECRET);
      await record(networks, {
        kind: 'revealed',
        text: `The passphrase of network "${networkTitle(network)}" was shown on the screen; asked for by ${who}.`,
      });
      return { value };
    },
  }),
  route({
    method: 'post',
    path: '/networks/:id/code',
    summary: 'The code by which phones join a network, with its key in it; this is logged',
    params: IdSchema,
    answer: CodePatternSchema,
    problems: ['network-missing', 'key-not-there'],
    run: async ({ params, who }) => {
      const network = await needNetwork(networks, params.id);
      const code = await networkCode(networks, network);
      await record(networks, {
        kind: 'revealed',
        text: `The code of network "${networkTitle(network)}", with its key, was shown on the screen; asked for by ${who}.`,
      });
      return code;
    },
  }),
];
