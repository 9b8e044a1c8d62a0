import { definePreset } from '@primeuix/themes';
import base from '@primeuix/themes/aura/base';
import button from '@primeuix/themes/aura/button';
import checkbox from '@primeuix/themes/aura/checkbox';
import dialog from '@primeuix/themes/aura/dialog';
import iconfield from '@primeuix/themes/aura/iconfield';
import inputtext from '@primeuix/themes/aura/inputtext';
import radiobutton from '@primeuix/themes/aura/radiobutton';
import select from '@primeuix/themes/aura/select';
import textarea from '@primeuix/themes/aura/textarea';
import virtualscroller from '@primeuix/themes/aura/virtualscroller';

/** The controls that are used here, and no others: every one of them would be loaded before the first page is seen. */
const used = {
  ...base,
  components: {
    button,
    checkbox,
    dialog,
    iconfield,
    inputtext,
    radiobutton,
    select,
    textarea,
    virtualscroller,
  },
};

/** Marsh green for what is done and for the main button. */
const marsh = {
  50: '#eef5f1',
  100: '#dfeae2',
  200: '#b9d6c8',
  300: '#86ccb2',
  400: '#5aa98d',
  500: '#3c8470',
  600: '#34765f',
  700: '#2e6a57',
  800: '#255547',
  900: '#1c4136',
  950: '#122b24',
};

/** From paper to ink, so that controls sit on the bench and do not float on white. */
const paper = {
  0: '#fffdf8',
  50: '#faf7f0',
  100: '#f6f2e9',
  200: '#ece6d8',
  300: '#cfc6b3',
  400: '#a79e8a',
  500: '#6f6a5e',
  600: '#53616a',
  700: '#3a4851',
  800: '#2b3942',
  900: '#22303a',
  950: '#14191d',
};

const night = {
  0: '#ece7db',
  50: '#dfddd5',
  100: '#cdd0cd',
  200: '#bcc3c4',
  300: '#aab5b8',
  400: '#93a1a6',
  500: '#74838b',
  600: '#55636b',
  700: '#39464e',
  800: '#28333a',
  900: '#1c2429',
  950: '#14191d',
};

/** The look of PrimeNG's controls. Contrasts were chosen for WCAG 2.2 AA in both themes. */
export const benchPreset = definePreset(used, {
  primitive: { borderRadius: { none: '0', xs: '2px', sm: '3px', md: '4px', lg: '4px', xl: '6px' } },
  semantic: {
    primary: marsh,
    focusRing: { width: '3px', style: 'solid', color: 'var(--focus)', offset: '2px' },
    colorScheme: {
      light: {
        surface: paper,
        primary: {
          color: '{primary.700}',
          contrastColor: '#fffdf8',
          hoverColor: '{primary.800}',
          activeColor: '{primary.900}',
        },
        formField: { borderColor: '#8d8571', placeholderColor: '#6b675c' },
        text: { color: '#22303a', mutedColor: '#53616a' },
      },
      dark: {
        surface: night,
        primary: {
          color: '{primary.300}',
          contrastColor: '#14191d',
          hoverColor: '{primary.200}',
          activeColor: '{primary.100}',
        },
        formField: { background: '#14191d', borderColor: '#74838b' },
        content: { background: '#1c2429', borderColor: '#39464e' },
        text: { color: '#ece7db', mutedColor: '#aab5b8' },
      },
    },
  },
});
