import { definePreset } from '@primeuix/themes';
import autocomplete from '@primeuix/themes/aura/autocomplete';
import badge from '@primeuix/themes/aura/badge';
import base from '@primeuix/themes/aura/base';
import button from '@primeuix/themes/aura/button';
import checkbox from '@primeuix/themes/aura/checkbox';
import chip from '@primeuix/themes/aura/chip';
import datepicker from '@primeuix/themes/aura/datepicker';
import drawer from '@primeuix/themes/aura/drawer';
import iconfield from '@primeuix/themes/aura/iconfield';
import inputtext from '@primeuix/themes/aura/inputtext';
import menu from '@primeuix/themes/aura/menu';
import multiselect from '@primeuix/themes/aura/multiselect';
import popover from '@primeuix/themes/aura/popover';
import ripple from '@primeuix/themes/aura/ripple';
import select from '@primeuix/themes/aura/select';
import tabs from '@primeuix/themes/aura/tabs';
import textarea from '@primeuix/themes/aura/textarea';
import tooltip from '@primeuix/themes/aura/tooltip';

/** The parts of PrimeNG that are used, each with what it looks like (tools/look.mjs finds those that are not here). */
const parts = {
  ...base,
  components: {
    autocomplete,
    badge,
    button,
    checkbox,
    chip,
    datepicker,
    drawer,
    iconfield,
    inputtext,
    menu,
    multiselect,
    popover,
    ripple,
    select,
    tabs,
    textarea,
    tooltip,
  },
};

/** PrimeNG in Key Cellar's tokens: hairlines, 2 px corners, bottle green, brass for focus; no shadows. */
export const preset = definePreset(parts, {
  primitive: {
    borderRadius: { none: '0', xs: '2px', sm: '2px', md: '2px', lg: '2px', xl: '2px' },
  },
  semantic: {
    primary: {
      50: '#eef5f2',
      100: '#d3e4dc',
      200: '#a9c4b4',
      300: '#7fa592',
      400: '#4d7d69',
      500: '#1d5546',
      600: '#143d33',
      700: '#113429',
      800: '#0f2f28',
      900: '#0b231e',
      950: '#071814',
    },
    focusRing: { width: '2px', style: 'solid', color: 'var(--focus)', offset: '1px', shadow: 'none' },
    formField: {
      paddingX: '9px',
      paddingY: '5px',
      borderRadius: '2px',
      focusRing: { width: '2px', style: 'solid', color: 'var(--focus)', offset: '0', shadow: 'none' },
      shadow: 'none',
    },
    overlay: {
      select: { borderRadius: '2px', shadow: '0 0 0 1px var(--line)' },
      popover: { borderRadius: '2px', shadow: '0 0 0 1px var(--line)' },
      modal: { borderRadius: '2px', shadow: 'none' },
    },
    colorScheme: {
      light: {
        primary: { color: '#143d33', contrastColor: '#f2f6f2', hoverColor: '#1d5546', activeColor: '#0f2f28' },
        surface: {
          0: '#fbfcfa',
          50: '#f4f7f3',
          100: '#eef1ec',
          200: '#dfe5de',
          300: '#c9d1c8',
          400: '#98a59e',
          500: '#6b7770',
          600: '#4a5a52',
          700: '#33413a',
          800: '#22302a',
          900: '#14201b',
          950: '#0c1411',
        },
        text: { color: '#14201b', hoverColor: '#14201b', mutedColor: '#4a5a52', hoverMutedColor: '#33413a' },
        formField: {
          borderColor: '#8f9c93',
          hoverBorderColor: '#4a5a52',
          focusBorderColor: '#8a5a00',
          background: '#ffffff',
          placeholderColor: '#616d66',
        },
        content: { borderColor: '#c9d1c8', background: '#fbfcfa' },
      },
      dark: {
        primary: { color: '#a9c4b4', contrastColor: '#0c1411', hoverColor: '#c3d8cc', activeColor: '#7fb09a' },
        surface: {
          0: '#ffffff',
          50: '#e9efeb',
          100: '#d3ddd7',
          200: '#a9b8b0',
          300: '#98a59e',
          400: '#7d8a83',
          500: '#55635c',
          600: '#34433c',
          700: '#26332d',
          800: '#1c2722',
          900: '#161f1b',
          950: '#0f1613',
        },
        text: { color: '#e9efeb', hoverColor: '#ffffff', mutedColor: '#a9b8b0', hoverMutedColor: '#d3ddd7' },
        formField: {
          borderColor: '#7d8a83',
          hoverBorderColor: '#a9b8b0',
          focusBorderColor: '#e0b04a',
          background: '#1c2722',
          placeholderColor: '#98a59e',
        },
        content: { borderColor: '#34433c', background: '#161f1b' },
      },
    },
  },
  components: {
    button: {
      root: { paddingX: '13px', paddingY: '5px', borderRadius: '2px', label: { fontWeight: '600' } },
    },
    tabs: {
      tablist: { background: 'transparent', borderColor: 'var(--line)', borderWidth: '0 0 1px 0' },
      tab: {
        padding: '5px 9px 7px',
        fontWeight: '400',
        borderWidth: '0',
        activeBorderColor: 'transparent',
        color: 'var(--ink-2)',
        activeColor: 'var(--ink)',
      },
      tabpanel: { background: 'transparent', padding: '10px 0' },
      activeBar: { height: '3px', bottom: '0', background: 'var(--brass)' },
    },
    tooltip: { root: { borderRadius: '2px', padding: '4px 8px' } },
    drawer: { header: { padding: '14px 18px 8px' }, content: { padding: '0 18px 18px' } },
  },
});
