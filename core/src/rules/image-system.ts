import { isWithout, type SystemFacts } from '../system/facts';
import { wordsOf } from '../plan/extras-model';
import type { ImageFacts } from '../plan/model';
import { carriesOf, imageOf } from './of-image';
import { perVariant, type Hit, type Rule, type RuleView } from './rule';

/** Checks the system of each image that is planned, once it was read. */
const perSystem = (
  view: RuleView,
  check: (image: ImageFacts, system: SystemFacts) => Omit<Hit, 'place'>[],
): Hit[] =>
  perVariant(view, ['imageId'], (settings): Hit[] => {
    const image = imageOf(view, settings);
    return image?.system ? check(image, image.system).map((hit): Hit => ({ ...hit, place: 'imageId' })) : [];
  });

const loginService: Rule = {
  id: 'image-login',
  title: 'The image has a login service',
  why: 'Without it a board cannot be proved, logged in to or brought up over the network.',
  source: 'what the image holds',
  check: (view) =>
    perSystem(view, (image, system) => {
      const isPlanned =
        carriesOf(image).has('packages') &&
        wordsOf(view.plan.extras.packages).some((name) => /^(openssh-server|dropbear)/.test(name));
      return isWithout(system, 'ssh') && !isPlanned
        ? [
            {
              severity: 'stops',
              message: `${image.title} has no login service (${system.abilities.ssh?.where ?? ''}).`,
              fix: 'Choose another image, or let the first boot install openssh-server where its method can.',
            },
          ]
        : [];
    }),
};

const accounts: Rule = {
  id: 'image-accounts',
  title: 'The image ships no account that others can log in to',
  why: 'Everybody who has the image knows its password, so everybody on the network can log in to the board.',
  source: 'passwd(5), shadow(5); what the image holds',
  check: (view) =>
    perSystem(view, (image, { accounts: all }) =>
      all
        .filter(({ name, login }) => login !== 'none' && name !== view.plan.access.userName.trim())
        .map(({ name, login, where }) => ({
          severity: 'warns' as const,
          message: `${image.title} ships the account ${name}, ${
            login === 'keys'
              ? 'with keys of somebody'
              : login === 'password'
                ? 'with a password'
                : 'without a password'
          } (${where}).`,
          fix: carriesOf(image).has('commands')
            ? `Lock it at the first boot: add the command usermod -L -e 1 ${name}`
            : 'Lock it after the first login, before the board leaves the bench.',
        })),
    ),
};

const shared: Rule = {
  id: 'image-shared',
  title: 'Copies of the image share nothing that should be each board’s own',
  why: 'Some address servers give one address to all boards of one machine-id; and who has the image has the secret part of a host key that it ships.',
  source: 'machine-id(5); RFC 4361; sshd(8)',
  check: (view) =>
    perSystem(view, (image, system) => {
      const hits: Omit<Hit, 'place'>[] = [];
      const left = (what: SystemFacts['shared'][number]['what']): string | undefined =>
        system.shared.find((one) => one.what === what)?.where;
      // The script makes a new one before the network is up, and takes foreign keys away; a seed takes keys away.
      const id = left('machine-id');
      if (id !== undefined && image.method !== 'run-once')
        hits.push({
          severity: 'warns',
          message: `${image.title} has a machine-id in it (${id}), so all of its boards say they are the same one.`,
          fix: 'If two boards get one address: empty that file on the image, or choose the run-once script, which makes a new one.',
        });
      const key = left('host-key');
      if (key !== undefined && !carriesOf(image).has('hostKey'))
        hits.push({
          severity: 'warns',
          message: `${image.title} has a host key in it (${key}), which all of its boards will show.`,
          fix: 'Remove it on the boards so that each makes its own, or choose an image with another method.',
        });
      return hits;
    }),
};

export const imageSystemRules: readonly Rule[] = [loginService, accounts, shared];
