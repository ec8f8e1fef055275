import { colours } from "../../look/colours";

/** The kinds of frames on a strip. The height tells the kind, the colour only helps; what is worse hides what is better. */
export const KINDS = {
  g: { name: "good", ink: colours.verdigris, top: 2, height: 20, rank: 2 },
  t: { name: "telemetry", ink: colours.tarnish, top: 6, height: 12, rank: 1 },
  p: { name: "poll", ink: colours.hairline, top: 10, height: 5, rank: 0 },
  l: { name: "frame lost", ink: colours.copper, top: 10, height: 12, rank: 3 },
  f: { name: "failsafe", ink: colours.slate, top: 16, height: 6, rank: 4 },
  b: { name: "damaged", ink: colours.oxide, top: 0, height: 24, rank: 5 },
} as const;
export type Kind = keyof typeof KINDS;
export const ALL_KINDS = Object.keys(KINDS) as Kind[];

export const hex = (value: number, digits = 2) => value.toString(16).toUpperCase().padStart(digits, "0");
export const percent = (share: number) => `${Math.round(share * 100)} %`;
export const spaced = (value: number) => Math.round(value).toLocaleString("en").replaceAll(",", " ");

const UNITS: [ending: string, unit: string][] = [
  ["_m_s", "m/s"],
  ["_percent", "%"],
  ["_dbm", "dBm"],
  ["_db", "dB"],
  ["_mah", "mAh"],
  ["_kmh", "km/h"],
  ["_kt", "kt"],
  ["_rpm", "rpm"],
  ["_deg", "°"],
  ["_rad", "rad"],
  ["_mw", "mW"],
  ["_v", "V"],
  ["_a", "A"],
  ["_m", "m"],
  ["_c", "°C"],
  ["_g", "g"],
];

/** Telemetry values as they are read: 16.8 V. A value that is not its sensor's own says which it is. */
export function told(sensor: string, values: Record<string, number | string>): string {
  return Object.entries(values)
    .map(([name, value]) => {
      const [ending, unit] = UNITS.find(([end]) => name.endsWith(end)) ?? ["", ""];
      const what = name.slice(0, name.length - ending.length).replaceAll("_", " ");
      const own = what === sensor.replaceAll("_", " ") || Object.keys(values).length === 1;
      return `${own ? "" : `${what} `}${value}${unit ? `${unit === "°" ? "" : " "}${unit}` : ""}`;
    })
    .join(", ");
}

/** A time with as many digits as a span of `across` seconds asks for. */
export function seconds(t: number, across: number): string {
  const digits = Math.min(6, Math.max(0, Math.ceil(1 - Math.log10(across / 8))));
  return `${t.toFixed(digits)} s`;
}
