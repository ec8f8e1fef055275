import { createTheme } from "@mui/material/styles";
import { colours, type Mode, mono, PALETTES, variables } from "./colours";
import { BREAKPOINTS } from "./phone";

/** Who has asked for less motion: what opens and closes does so at once, without waiting for a movement that is not drawn. */
const still = window.matchMedia("(prefers-reduced-motion: reduce)").matches;
const NONE = { shortest: 0, shorter: 0, short: 0, standard: 0, complex: 0, enteringScreen: 0, leavingScreen: 0 };
/** What opens is there before a hand would wait for it: MUI's own 225 to 400 ms are felt with every list. */
const QUICK = { shortest: 60, shorter: 80, short: 90, standard: 100, complex: 110, enteringScreen: 90, leavingScreen: 70 };

/** The library reckons with its palette, so there it stands in figures; everything else refers to the variables. */
function themeOf(mode: Mode) {
  const now = PALETTES[mode];
  return createTheme({
    breakpoints: { values: BREAKPOINTS },
    transitions: still ? { duration: NONE, getAutoHeightDuration: () => 0 } : { duration: QUICK, getAutoHeightDuration: () => 90 },
    palette: {
      mode,
      background: { default: now.paper, paper: now.raised },
      text: { primary: now.ink, secondary: now.softInk },
      primary: { main: now.verdigris, contrastText: now.raised },
      secondary: { main: now.copperText, contrastText: now.raised },
      error: { main: now.oxide },
      info: { main: now.slate },
      divider: now.hairline,
    },
    typography: {
      fontFamily: '"Figtree Variable", sans-serif',
      fontSize: 13.5,
      h1: { fontSize: 22, fontWeight: 600, lineHeight: 1.3 },
      h2: { fontSize: 15, fontWeight: 600 },
      h3: { fontSize: 12.5, fontWeight: 600, color: colours.softInk },
      body1: { fontSize: 14.5 },
      button: { textTransform: "none", fontWeight: 600 },
    },
    shape: { borderRadius: 6 },
    components: {
      MuiButton: {
        defaultProps: { disableElevation: true, disableRipple: true, size: "small" },
        styleOverrides: {
          root: {
            paddingInline: 12,
            "&.Mui-focusVisible": { outline: `2px solid ${colours.ink}`, outlineOffset: 2 },
            "@media (pointer: coarse)": { minHeight: 38 },
          },
          outlined: { borderColor: colours.tarnish, color: colours.ink, background: colours.raised },
        },
      },
      MuiTextField: { defaultProps: { size: "small" } },
      MuiSelect: { defaultProps: { size: "small" } },
      MuiTooltip: { defaultProps: { disableInteractive: true } },
      MuiCssBaseline: {
        styleOverrides: {
          ...variables,
          body: { background: colours.paper },
          a: { color: colours.verdigris, textUnderlineOffset: "0.15em" },
          ":focus-visible": { outline: `2px solid ${colours.ink}`, outlineOffset: 2 },
          ".mono": { fontFamily: mono, fontVariantNumeric: "tabular-nums" },
          "@media (prefers-reduced-motion: reduce)": { "*": { animation: "none !important", transition: "none !important" } },
        },
      },
    },
  });
}

export const THEMES = { light: themeOf("light"), dark: themeOf("dark") };
