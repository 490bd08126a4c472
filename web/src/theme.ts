import { createTheme, type MantineColorsTuple } from '@mantine/core';

const teal: MantineColorsTuple = [
  '#e9f4f2', '#d8e8e5', '#b1d3cf', '#84bcb7', '#55a39f', '#2c8b88', '#0d6d6b', '#0b5f5d', '#094f4e', '#063b3a',
];

export const theme = createTheme({
  fontFamily: "'Hanken Grotesk Variable', sans-serif",
  fontSizes: { xs: '11px', sm: '12.5px', md: '13.5px', lg: '15px', xl: '17px' },
  primaryColor: 'teal',
  primaryShade: { light: 6, dark: 3 },
  autoContrast: true,
  colors: { teal },
  defaultRadius: 8,
  cursorType: 'pointer',
  respectReducedMotion: true,
  // A menu that is still fading would take the first click meant for the part.
  components: {
    Menu: { defaultProps: { transitionProps: { duration: 0 } } },
    Modal: { defaultProps: { transitionProps: { duration: 0 }, closeButtonProps: { 'aria-label': 'Close' } } },
  },
});

export interface Palette {
  ground: string;
  ink: string;
  accent: string;
  roles: Record<string, string>;
}

export const PALETTES: Record<'light' | 'dark', Palette> = {
  light: {
    ground: '#edeae2',
    ink: '#22262a',
    accent: '#0d6d6b',
    roles: {
      primary: '#bd9273',
      secondary: '#d7bd95',
      tertiary: '#a9b79b',
      theoretical: '#7b3f6e',
      construction: '#a8a49a',
    },
  },
  dark: {
    ground: '#2b2521',
    ink: '#14110f',
    accent: '#5ec2b9',
    roles: {
      primary: '#b98d6d',
      secondary: '#d3b98f',
      tertiary: '#9fae90',
      theoretical: '#a56a98',
      construction: '#87827a',
    },
  },
};
