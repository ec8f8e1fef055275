import Box from "@mui/material/Box";
import type { AirframeTold } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { apart, WRONG_DEG } from "./GravityMap";

type Attitude = AirframeTold["hands"];
interface Shape {
  side: string;
  behind: string;
  above: string;
}

/** Outlines about the middle of the craft: from the side with the nose to the right, from behind, and from above with the nose up. */
const ROTORS: Shape = {
  side: "M-32 -4H20L32 1L20 6H-32ZM-28 -4V-11M-44 -11H-12M18 -4V-11M2 -11H34",
  behind: "M-12 -6H12V6H-12ZM-12 0H-32M12 0H32M-32 0V-8M-46 -8H-18M32 0V-8M18 -8H46",
  above: "M-8 -14L0 -26L8 -14V14H-8ZM-8 -10L-32 -32M8 -10L32 -32M-8 10L-32 32M8 10L32 32",
};
const WINGS: Shape = {
  side: "M-40 0L30 -5L42 1L30 6L-40 3ZM-40 0L-46 -15H-36L-30 -1M-8 1H14",
  behind: "M-6 -6H6V7H-6ZM-6 -1L-46 -5V-2L-6 3M6 -1L46 -5V-2L6 3M0 -6V-18",
  above: "M-4 -34L0 -42L4 -34V34H-4ZM-4 -14H-46V-4L-4 0M4 -14H46V-4L4 0M-4 26H-18V34H18V26H4",
};
const HULL: Shape = {
  side: "M-42 -6H40L28 10H-36ZM-20 -6V-16H2V-6",
  behind: "M-24 -6H24L17 10H-17ZM-9 -6V-16H9V-6",
  above: "M-16 32V-8Q-16 -30 0 -40Q16 -30 16 -8V32Z",
};
const WHEELS: Shape = {
  side: "M-38 -10H38V2H-38ZM-32 8A9 9 0 1 0 -14 8A9 9 0 1 0 -32 8M14 8A9 9 0 1 0 32 8A9 9 0 1 0 14 8",
  behind: "M-20 -10H20V2H-20ZM-28 -4H-21V16H-28ZM21 -4H28V16H21Z",
  above: "M-16 -30H16V30H-16ZM-26 -26H-18V-8H-26ZM18 -26H26V-8H18ZM-26 8H-18V26H-26ZM18 8H26V26H18ZM0 -30V-40",
};
const SHAPES: Record<string, Shape> = { plane: WINGS, wing: WINGS, boat: HULL, rover: WHEELS };

/** The craft's outline from three sides: as the hands hold it, and as the board believes that it lies. */
export function Silhouettes({ told }: { told: AirframeTold }) {
  const shape = SHAPES[told.shape] ?? ROTORS;
  const { hands, idea } = told;
  const wrong = idea !== null && apart(hands, idea) > WRONG_DEG;
  return (
    <>
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(3, minmax(0, 1fr))", gap: 1 }}>
        <View name="from the side" path={shape.side} hands={hands} idea={idea} wrong={wrong} turn={side} says={pitch} />
        <View name="from behind" path={shape.behind} hands={hands} idea={idea} wrong={wrong} turn={behind} says={roll} />
        <View name="from above" path={shape.above} hands={hands} idea={idea} wrong={wrong} turn={above} says={heading} />
      </Box>
      <Box sx={{ display: "flex", gap: 2, fontSize: 12, color: "text.secondary", mt: 0.75, flexWrap: "wrap" }}>
        <Key stroke={colours.slate} dashed text="as the hands hold it" />
        <Key
          stroke={wrong ? colours.oxide : colours.verdigris}
          text={idea ? "as the board believes" : "the board does not run, and believes nothing"}
        />
      </Box>
    </>
  );
}

const back = (at: Attitude) => Math.abs(at.roll) > 90;
const side = (at: Attitude) => `rotate(${-at.pitch})${back(at) ? " scale(1 -1)" : ""}`;
const behind = (at: Attitude) => `rotate(${at.roll})`;
const above = (at: Attitude) => `rotate(${at.heading})`;
const pitch = (at: Attitude) => `${at.pitch < 0 ? "nose down" : "nose up"} ${Math.abs(at.pitch).toFixed(0)}°`;
const roll = (at: Attitude) => `${at.roll < 0 ? "left" : "right"} down ${Math.abs(at.roll).toFixed(0)}°`;
const heading = (at: Attitude) => `nose at ${at.heading.toFixed(0)}°`;

function View({
  name,
  path,
  hands,
  idea,
  wrong,
  turn,
  says,
}: {
  name: string;
  path: string;
  hands: Attitude;
  idea: Attitude | null;
  wrong: boolean;
  turn: (at: Attitude) => string;
  says: (at: Attitude) => string;
}) {
  const ink = wrong ? colours.oxide : colours.verdigris;
  return (
    <Box component="figure" sx={{ m: 0, textAlign: "center", minWidth: 0 }}>
      <svg
        viewBox="-52 -48 104 96"
        role="img"
        aria-label={`${name}: hands ${says(hands)}${idea ? `, board ${says(idea)}` : ""}`}
        style={{ width: "100%", display: "block" }}
      >
        <path d="M-52 0H52" stroke={colours.hairline} />
        {idea && (
          <g transform={turn(idea)}>
            <path d={path} fill={wrong ? colours.oxideWash : colours.verdigrisWash} stroke={ink} strokeWidth={2.5} strokeLinejoin="round" />
          </g>
        )}
        <g transform={turn(hands)}>
          <path d={path} fill="none" stroke={colours.slate} strokeWidth={1.5} strokeDasharray="4 3" strokeLinejoin="round" />
        </g>
      </svg>
      <Box component="figcaption" sx={{ fontSize: 12, lineHeight: 1.35 }}>
        {name}
        <Box sx={{ fontFamily: mono, fontSize: 11.5, color: colours.slate }}>{says(hands)}</Box>
        {idea && <Box sx={{ fontFamily: mono, fontSize: 11.5, color: ink }}>{says(idea)}</Box>}
      </Box>
    </Box>
  );
}

function Key({ stroke, dashed, text }: { stroke: string; dashed?: boolean; text: string }) {
  return (
    <span>
      <svg width={22} height={8} aria-hidden="true" style={{ marginRight: 5 }}>
        <path d="M0 4H22" stroke={stroke} strokeWidth={dashed ? 1.5 : 3} strokeDasharray={dashed ? "4 3" : undefined} />
      </svg>
      {text}
    </span>
  );
}
