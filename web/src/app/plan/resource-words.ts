/** Resources of the forecast in words. */
export const resourceTitles: Record<string, string> = {
  reader: 'Card reader',
  hands: 'Hands',
  port: 'Powered sockets',
  address: 'Addresses',
  client: 'Access point',
  internet: 'Internet line',
  login: 'Boards at once',
};

/** Steps of the forecast in words. */
export const stepTitles: Record<string, string> = {
  swap: 'swap cards',
  write: 'write',
  verify: 'read back',
  boot: 'first boot',
  find: 'find',
  download: 'download updates',
  update: 'install updates',
  reboot: 'reboot',
  check: 'check',
  'bring up': 'bring up',
  'shut down': 'shut down',
};
