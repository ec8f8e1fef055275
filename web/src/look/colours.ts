/** The palette, named for what it stands for. */
export const colours = {
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
} as const;

export const mono = '"IBM Plex Mono", monospace';
