import { networkTitle } from '../wifi/network';
import type { WayId } from './model';
import type { Moving } from './ways';

/** What to do, one thing after the other, for somebody who is tired and alone with the board. */
export function instructionsOf({ plan, from, to, bridge }: Omit<Moving, 'today'>, way: WayId): string[] {
  const next = to ? `“${networkTitle(to)}”` : 'the new network';
  const old = from ? `“${networkTitle(from)}”` : 'the old network';
  const between = bridge ? `“${networkTitle(bridge)}”` : 'the bridge network';
  const byLogin = `Press “Move” or “Add it” here: the bench puts ${next} on it, above what it has saved.`;
  switch (way) {
    case 'over-old':
      return plan.bench === 'both'
        ? [
            `Leave ${old} and ${next} on. Both have to reach this computer.`,
            'Press “Move”. One board goes first. Its session is cut off when it switches: that is expected.',
            `Wait until it says “moved”. A board that is not proved on ${next} within ${String(plan.returnMinutes)} minutes goes back by itself.`,
          ]
        : [
            `Leave ${old} on. Press “Add it”: the boards keep both, and come over when ${next} is on the air.`,
            `On the day, change this computer to ${next} and search there.`,
          ];
    case 'cable':
      return [
        'Shut the board down if you can, and take it to where the cable reaches.',
        `Plug the cable into it and into ${next}, then give it power.`,
        'Search there: it is proved by its host key.',
        byLogin,
        'Wait until it says “moved” or “has both”, then pull the cable, and search once more.',
      ];
    case 'bridge':
      return [
        `Switch ${between} on, keep its phone awake and on its charger.`,
        `While ${old} is still on, choose ${between} as the new network here and press “Move”: the boards go over to it, with a way back.`,
        `When ${next} is on the air, choose ${between} as the old network and ${next} as the new one, and press “Move” again. This computer has to reach both.`,
      ];
    case 'screen':
      return [
        'Connect the screen first, then the keyboard, then power.',
        'Log in with the account and password of the credentials page.',
        `Type the commands that stand below, with the name of ${next} exactly as it is; the key is asked for and does not stay on the screen.`,
        'Search for it: it is proved by its host key.',
      ];
    case 'sister':
      return [
        'Shut the board down and wait until its light is quiet. Take its card out.',
        'Put the card into the spare board of the same kind. Never into another kind.',
        'Plug the cable in, then power. Search: what answers with the host key is this card.',
        byLogin,
        'Wait until it says “moved” or “has both”. Shut the spare board down, put the card back into its own board.',
      ];
    case 'settings':
      return [
        `Choose ${next} for the device in the plan, above ${old}.`,
        'Shut the board down, take its card out, put it into a slot, and choose it under Card check.',
        'Press “Write its settings anew”: only its settings are written, what it has stored stays.',
        'Put it back, give it power, and search for it. Commands of the plan do not run once more.',
      ];
    case 'card':
      return [
        'Save what the board has stored: writing its card anew erases it.',
        `Choose ${next} for the device in the plan, above ${old}.`,
        'Shut the board down, take its card out, and write it under Cards. Its host key stays the same.',
        'Put it back, give it power, and search for it.',
      ];
  }
}
