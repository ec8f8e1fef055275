/** The palettes, named for what each colour stands for: by day, and at night at the field. Every text and border keeps its contrast in both (tests/core/test_colours.py). */
export const PALETTES = {
  light: {
    paper: "#F6F3EC",
    raised: "#FFFDF8",
    bench: "#F1EDE2",
    ink: "#1F2A2E",
    softInk: "#5A6668",
    hairline: "#D9D2C4",
    verdigris: "#1F6F63",
    verdigrisWash: "#E3EBE3",
    copper: "#A8552B",
    copperText: "#9A4B24",
    copperWash: "#F3E3D6",
    oxide: "#A3271F",
    oxideWash: "#F4E0DC",
    slate: "#44617B",
    slateWash: "#E2E8EE",
    amber: "#B07C1E",
    tarnish: "#8A7F6A",
    tarnishText: "#6E6450",
  },
  dark: {
    paper: "#12211D",
    raised: "#182A25",
    bench: "#15261F",
    ink: "#ECE7DA",
    softInk: "#B2BDB6",
    hairline: "#33473F",
    verdigris: "#6FBFAE",
    verdigrisWash: "#1E3A33",
    copper: "#D99B73",
    copperText: "#E3AB87",
    copperWash: "#3A2A20",
    oxide: "#E58A80",
    oxideWash: "#40241F",
    slate: "#9DB6CC",
    slateWash: "#21323E",
    amber: "#D9AE57",
    tarnish: "#8E8A78",
    tarnishText: "#BDB49C",
  },
} as const;

export type Mode = keyof typeof PALETTES;
export type Colour = keyof (typeof PALETTES)["light"];

const NAMES = Object.keys(PALETTES.light) as Colour[];

/** Each colour as it is in the mode of the moment, for whatever is styled or drawn as SVG. */
export const colours = Object.fromEntries(NAMES.map((name) => [name, `var(--bell-${name})`])) as Record<Colour, string>;

/** What `colours` refers to, as style rules. */
export const variables = Object.fromEntries(
  (Object.keys(PALETTES) as Mode[]).map((mode) => [
    mode === "light" ? ":root" : `:root[data-mode=${mode}]`,
    { colorScheme: mode, ...Object.fromEntries(NAMES.map((name) => [`--bell-${name}`, PALETTES[mode][name]])) },
  ]),
);

/** One of `colours` as it is now: a canvas knows no variables. */
export function solid(colour: string): string {
  const name = colour.slice("var(--bell-".length, -1) as Colour;
  return PALETTES[document.documentElement.dataset.mode === "dark" ? "dark" : "light"][name] ?? colour;
}

export const mono = '"IBM Plex Mono", monospace';
