import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Switch from "@mui/material/Switch";
import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import type { AirframeTold } from "../../api/types";
import { sendHands, useBenchStore } from "../../bench/useBench";
import { colours } from "../../look/colours";

const R = 88;
const C = 116;
const KEY_DEG = 5;
const SETTLES_MS = 700;

type Tipped = { tilt: number; towards: number };

/** Where a craft that is tipped so stands on the map: level in the middle, nose down at the top, on its back at the rim. */
const place = ({ tilt, towards }: Tipped) => ({
  x: C + (tilt / 180) * R * Math.sin((towards * Math.PI) / 180),
  y: C - (tilt / 180) * R * Math.cos((towards * Math.PI) / 180),
});

const from = (right: number, up: number): Tipped => ({
  tilt: Math.min(180, Math.round(Math.hypot(right, up))),
  towards: Math.round((Math.atan2(right, up) * 180) / Math.PI),
});

/** Every direction that gravity can have to the craft, on one map: those that are open, those that are taken, where the hands hold it, and where the board believes it to be. It is tipped by dragging on it. */
export function GravityMap({ told, checks }: { told: AirframeTold; checks: boolean }) {
  const unsteady = useBenchStore((state) => state.live?.unsteady ?? false);
  const turned = useBenchStore((state) => state.live?.turn_deg ?? 0);
  const [turning, setTurning] = useState<number | null>(null);
  const turn = turning ?? turned;
  const turnedLater = useRef<number>(undefined);
  const [held, hold] = useState<Tipped | null>(null);
  const picture = useRef<SVGSVGElement>(null);
  const dragging = useRef(false);
  const later = useRef<number>(undefined);
  useEffect(
    () => () => {
      window.clearTimeout(later.current);
      window.clearTimeout(turnedLater.current);
    },
    [],
  );
  const hands = held ?? told.hands;
  const tip = (to: Tipped) => {
    hold(to);
    sendHands({ tilt_deg: to.tilt, towards_deg: to.towards });
    window.clearTimeout(later.current);
    if (!dragging.current) later.current = window.setTimeout(() => hold(null), SETTLES_MS);
  };
  const pointed = (event: PointerEvent) => {
    const box = picture.current?.getBoundingClientRect();
    if (!box) return;
    const scale = (2 * C) / box.width;
    const right = (((event.clientX - box.left) * scale - C) / R) * 180;
    const up = ((C - (event.clientY - box.top) * scale) / R) * 180;
    tip(from(right, up));
  };
  const pressed = (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    if (event.key === "Home") {
      event.preventDefault();
      tip({ tilt: 0, towards: hands.towards });
      return;
    }
    if (!step || !checks) return;
    event.preventDefault();
    const rad = (hands.towards * Math.PI) / 180;
    tip(from(hands.tilt * Math.sin(rad) + step[0] * KEY_DEG, hands.tilt * Math.cos(rad) + step[1] * KEY_DEG));
  };
  const idea = told.idea;
  const wrong = idea !== null && apart(hands, idea) > WRONG_DEG;
  const at = place(hands);
  return (
    <div>
      <Box
        role="slider"
        tabIndex={checks ? 0 : -1}
        aria-label="Tip the craft"
        aria-valuemin={0}
        aria-valuemax={180}
        aria-valuenow={Math.round(hands.tilt)}
        aria-valuetext={inWords(hands)}
        aria-disabled={!checks}
        onKeyDown={pressed}
        sx={{ width: 2 * C, maxWidth: "100%", borderRadius: "50%", touchAction: "none", cursor: checks ? "grab" : "default" }}
      >
        <svg
          ref={picture}
          viewBox={`0 0 ${2 * C} ${2 * C}`}
          aria-hidden="true"
          style={{ display: "block", width: "100%" }}
          onPointerDown={(event) => {
            if (!checks) return;
            dragging.current = true;
            event.currentTarget.setPointerCapture(event.pointerId);
            pointed(event);
          }}
          onPointerMove={(event) => dragging.current && pointed(event)}
          onPointerUp={() => {
            dragging.current = false;
            later.current = window.setTimeout(() => hold(null), SETTLES_MS);
          }}
          onPointerCancel={() => {
            dragging.current = false;
            hold(null);
          }}
        >
          <circle cx={C} cy={C} r={R} fill={colours.paper} stroke={colours.tarnish} strokeWidth={1.5} />
          <circle cx={C} cy={C} r={R / 2} fill="none" stroke={colours.hairline} />
          <path d={`M${C} ${C - R}V${C + R}M${C - R} ${C}H${C + R}`} stroke={colours.hairline} />
          {RIM.map(([text, x, y, anchor]) => (
            <text key={text} x={x} y={y} textAnchor={anchor} fontSize={11} fill={colours.softInk}>
              {text}
            </text>
          ))}
          {told.marks.map((mark) => {
            const ink = mark.taken ? colours.verdigris : mark.next ? colours.copper : colours.tarnish;
            const whole = mark.tilt > 160;
            const spot = place(mark);
            return whole ? (
              <circle
                key={mark.says}
                cx={C}
                cy={C}
                r={R - 4}
                fill="none"
                stroke={ink}
                strokeWidth={4}
                strokeDasharray={mark.taken ? undefined : "3 5"}
              />
            ) : (
              <circle
                key={mark.says}
                cx={spot.x}
                cy={spot.y}
                r={mark.next ? 13 : 10}
                fill={mark.taken ? colours.verdigrisWash : colours.raised}
                stroke={ink}
                strokeWidth={mark.next ? 2.5 : 1.5}
                strokeDasharray={mark.taken ? undefined : "3 3"}
              />
            );
          })}
          {told.marks.map(
            (mark) =>
              mark.next && (
                <text
                  key={mark.says}
                  x={place(mark).x}
                  y={place(mark).y - 18}
                  textAnchor="middle"
                  fontSize={11}
                  fontWeight={600}
                  fill={colours.copperText}
                >
                  next
                </text>
              ),
          )}
          {idea && <circle cx={place(idea).x} cy={place(idea).y} r={4.5} fill={wrong ? colours.oxide : colours.verdigris} />}
          {idea && wrong && (
            <path d={`M${at.x} ${at.y}L${place(idea).x} ${place(idea).y}`} stroke={colours.oxide} strokeDasharray="2 3" strokeWidth={1.5} />
          )}
          <circle cx={at.x} cy={at.y} r={8} fill="none" stroke={colours.slate} strokeWidth={3} />
        </svg>
      </Box>
      <Box sx={{ fontSize: 12, color: "text.secondary", lineHeight: 1.35, mt: 0.5 }}>
        The ring is the craft in your hands: drag it, or use the arrow keys. The dot is where the board believes it to be.
      </Box>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.5, fontSize: 12.5, mt: 0.5, flexWrap: "wrap" }}>
        <Button
          variant="text"
          disabled={!checks}
          sx={{ py: 0, px: 0.75, fontSize: 12.5, minWidth: 0 }}
          onClick={() => tip({ tilt: 0, towards: hands.towards })}
        >
          Set it level
        </Button>
        <Box component="label" sx={{ display: "flex", alignItems: "center", ml: "auto" }}>
          <Switch
            size="small"
            checked={unsteady}
            disabled={!checks}
            onChange={(_, on) => sendHands({ unsteady: on })}
            slotProps={{ input: { "aria-label": "Hands shake" } }}
          />
          hands shake
        </Box>
      </Box>
      <Box component="label" sx={{ display: "flex", alignItems: "center", gap: 1, fontSize: 12.5 }}>
        <input
          type="range"
          aria-label="Turn the craft"
          aria-valuetext={`nose at ${Math.round((turn + 360) % 360)} degrees`}
          min={-180}
          max={180}
          step={5}
          value={turn}
          disabled={!checks}
          onChange={(event) => {
            const to = Number(event.target.value);
            setTurning(to);
            sendHands({ turn_deg: to });
            window.clearTimeout(turnedLater.current);
            turnedLater.current = window.setTimeout(() => setTurning(null), SETTLES_MS);
          }}
          style={{ flex: 1, minWidth: 0, accentColor: colours.slate }}
        />
        <span style={{ minWidth: 76 }}>nose at {Math.round((turn + 360) % 360)}°</span>
      </Box>
    </div>
  );
}

export const WRONG_DEG = 15;

/** By how much two ways to be tipped are apart. */
export function apart(one: Tipped, other: Tipped): number {
  const [a, b] = [unit(one), unit(other)];
  return (Math.acos(Math.max(-1, Math.min(1, a[0] * b[0] + a[1] * b[1] + a[2] * b[2]))) * 180) / Math.PI;
}

function unit({ tilt, towards }: Tipped): [number, number, number] {
  const [t, w] = [(tilt * Math.PI) / 180, (towards * Math.PI) / 180];
  return [Math.sin(t) * Math.cos(w), Math.sin(t) * Math.sin(w), Math.cos(t)];
}

function inWords({ tilt, towards }: Tipped): string {
  if (tilt < 3) return "level";
  if (tilt > 177) return "on its back";
  const eighth = (Math.round(towards / 45) + 8) % 8;
  return `tipped by ${Math.round(tilt)} degrees, ${WAYS[eighth]}`;
}

const WAYS = [
  "nose down",
  "nose and right side down",
  "right side down",
  "right side down and nose up",
  "nose up",
  "nose up and left side down",
  "left side down",
  "left side and nose down",
];
const STEPS: Record<string, [number, number]> = { ArrowUp: [0, 1], ArrowDown: [0, -1], ArrowRight: [1, 0], ArrowLeft: [-1, 0] };
const RIM: [string, number, number, "start" | "middle" | "end"][] = [
  ["nose down", C, C - R - 8, "middle"],
  ["nose up", C, C + R + 16, "middle"],
  ["right", 2 * C - 1, C - 6, "end"],
  ["left", 1, C - 6, "start"],
];
