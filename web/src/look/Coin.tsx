import type { CoinState } from "../api/types";
import { colours } from "./colours";

const RIM = Array.from({ length: 28 }, (_, index) => (index * 2 * Math.PI) / 28);

/** A hop's coin. The shape tells the state; the colour only helps. */
export function Coin({ state, size = 28, label }: { state: CoinState; size?: number; label?: string }) {
  return (
    <svg
      width={size * 1.36}
      height={size}
      viewBox="0 0 38 28"
      role="img"
      aria-label={label ?? state}
      style={{ display: "block", overflow: "visible" }}
    >
      <g transform="translate(5 0)">{FACES[state]}</g>
    </svg>
  );
}

const FACES: Record<CoinState, React.ReactNode> = {
  blank: <circle cx={14} cy={14} r={11.5} fill={colours.raised} stroke={colours.tarnish} strokeWidth={1.6} />,
  "rings true": (
    <>
      <circle cx={14} cy={14} r={12} fill={colours.verdigris} />
      {RIM.map((angle) => (
        <line
          key={angle}
          x1={14 + 10 * Math.cos(angle)}
          y1={14 + 10 * Math.sin(angle)}
          x2={14 + 11.6 * Math.cos(angle)}
          y2={14 + 11.6 * Math.sin(angle)}
          stroke={colours.raised}
          strokeWidth={0.7}
        />
      ))}
      <path
        d="M28.4 9.4 a7 7 0 0 1 0 9.2 M31.4 7 a11 11 0 0 1 0 14"
        fill="none"
        stroke={colours.verdigris}
        strokeWidth={1.5}
        strokeLinecap="round"
      />
    </>
  ),
  cracked: (
    <>
      <path d="M15.6 2.1 A12 12 0 0 0 12.2 25.9 L11 20 L14.4 15.4 L11.6 10.4 Z" fill={colours.oxide} transform="translate(-1 0)" />
      <path d="M16.6 2.3 A12 12 0 0 1 13.2 25.9 L12.2 20.2 L15.8 15.4 L13 10.4 Z" fill={colours.oxide} transform="translate(1.4 0.4)" />
    </>
  ),
  tarnished: (
    <>
      <circle cx={14} cy={14} r={11.5} fill={colours.paper} stroke={colours.tarnish} strokeWidth={1.6} />
      <path
        d="M5.2 17 L17 5.2 M4 12.4 L12.4 4 M6.6 21.4 L21.4 6.6 M10.2 23.6 L23.6 10.2 M15.4 24.2 L24.2 15.4"
        stroke={colours.tarnish}
        strokeWidth={1.5}
      />
    </>
  ),
};

export const COIN_WORDS: Record<CoinState, string> = {
  blank: "blank: nothing known yet",
  "rings true": "rings true: proven",
  cracked: "cracked: something is wrong",
  tarnished: "tarnished: was proven, and what it rested on has changed since",
};
