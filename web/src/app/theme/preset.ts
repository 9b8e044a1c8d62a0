import { definePreset } from '@primeuix/themes';
import Aura from '@primeuix/themes/aura';

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
export const benchPreset = definePreset(Aura, {
  primitive: { borderRadius: { none: '0', xs: '2px', sm: '3px', md: '4px', lg: '4px', xl: '6px' } },
  components: {
    datatable: { headerCell: { padding: '0.25rem 0.5rem' }, bodyCell: { padding: '0.25rem 0.5rem' } },
  },
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
