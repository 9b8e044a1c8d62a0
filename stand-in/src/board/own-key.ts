import ssh2 from 'ssh2';

/**
 * A host key that a board makes for itself, as real ones do. The package makes one that it cannot read itself once in a
 * few hundred times (it loses leading zeros); those are drawn again.
 */
export function ownKey(): string {
  for (;;) {
    const key = ssh2.utils.generateKeyPairSync('ed25519').private;
    if (!(ssh2.utils.parseKey(key) instanceof Error)) return key;
  }
}
