import { createTheme, type MantineColorsTuple } from "@mantine/core";

/** The one accent colour: a deep blue-green, in ten shades. */
const sound: MantineColorsTuple = [
  "#eaf4f5",
  "#d5e6e9",
  "#a9cdd4",
  "#79b2bd",
  "#529baa",
  "#3a8d9e",
  "#2a7f91",
  "#22697a",
  "#1d4f5c",
  "#143b46",
];

/** Warm neutrals in place of blue-greys. */
const sand: MantineColorsTuple = [
  "#faf7f2",
  "#f3eee6",
  "#e6dfd3",
  "#d5ccbd",
  "#b8ad9c",
  "#978c7b",
  "#6f6557",
  "#544c41",
  "#3a342c",
  "#262219",
];

const night: MantineColorsTuple = [
  "#e8e2d8",
  "#cfc8bc",
  "#b3ab9e",
  "#8d8579",
  "#57514a",
  "#454039",
  "#33302b",
  "#262421",
  "#1d1c19",
  "#151412",
];

export const theme = createTheme({
  primaryColor: "sound",
  primaryShade: { light: 8, dark: 7 },
  colors: { sound, gray: sand, dark: night },
  fontFamily: '"Inter Variable", system-ui, sans-serif',
  fontFamilyMonospace: "ui-monospace, monospace",
  headings: { fontFamily: '"Inter Variable", system-ui, sans-serif', fontWeight: "640" },
  defaultRadius: "md",
  respectReducedMotion: true,
});
