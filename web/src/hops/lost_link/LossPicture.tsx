import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Told } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { WidePicture } from "../../look/WidePicture";
import { flownOf } from "./flown";

type LostTold = NonNullable<Told["lost_link"]>;

const W = 860;
const X0 = 96;
const X1 = 846;
const LANES = { predicted: 54, measured: 114 };
const HEIGHT = { top: 160, foot: 246 };
const AWAY = { top: 268, foot: 300 };
const SOON_S = 4;

interface Mark {
  at: number | null | undefined;
  text: string;
}

const BEGINS = {
  "motors off": "motors off",
  land: "begins to come down",
  "return home": "turns home",
  loiter: "begins to circle",
} as const;

/** Predicted above, measured below, both from the last radio frame on; and under them, over the same time, how high and how far from home the craft is. */
export function LossPicture({ told, now, wing, hasSurfaces }: { told: LostTold; now: number; wing: boolean; hasSurfaces: boolean }) {
  const [soon, setSoon] = useState(false);
  const { prediction, loss: run } = told;
  const since = (t: number | null | undefined) => (run && t !== null && t !== undefined ? t - run.radio_silent_t : null);
  const does = prediction.does ?? "motors off";
  const acts = wing && does === "land" ? "motor off, banks" : !wing && does === "loiter" ? "holds its place" : BEGINS[does];
  const stopsLater = does !== "motors off" && !(wing && does === "land");
  const predicted: Mark[] = [
    { at: prediction.last_frame_s, text: "last frame" },
    { at: prediction.reacts_s, text: acts },
    { at: does === "return home" ? prediction.at_height_s : null, text: "at height" },
    { at: prediction.home_s, text: "home" },
    ...(stopsLater || prediction.reacts_s === null ? [{ at: prediction.motors_stop_s, text: "motors stop" }] : []),
    { at: stopsLater ? null : prediction.down_s, text: "on the ground" },
    { at: prediction.hidden && prediction.motors_stop_s === null ? prediction.fooled_s : null, text: "taken for a link again" },
  ];
  const measured: Mark[] = [
    { at: run?.fooled_t ? null : since(run?.last_frame_t), text: "last frame" }, // frames that pass for a link never cease
    { at: since(run?.reacted_t), text: acts },
    { at: since(run?.at_height_t), text: "at height" },
    { at: since(run?.home_t), text: "home" },
    ...(stopsLater || !run?.reacted_t ? [{ at: since(run?.motors_stopped_t), text: "motors stop" }] : []),
    { at: since(run?.fooled_t), text: "still taken for good" },
    { at: since(run?.back_t), text: "link back" },
    { at: since(run?.control_t), text: "obeys again" },
  ];
  const running = run?.state === "running" && run.back_t === null;
  const elapsed = running && run ? now - run.radio_silent_t : 0;
  const way = prediction.path ?? [];
  const flown = flownOf(run);
  const whole = Math.max(
    1.2,
    (prediction.motors_stop_s ?? 0) * 1.12,
    way.at(-1)?.t ?? 0,
    ...measured.map((mark) => (mark.at ?? 0) * 1.12),
    elapsed * 1.05,
  );
  const latest = soon ? SOON_S : whole;
  const inSight = (marks: Mark[]) => marks.filter((mark) => mark.at === null || mark.at === undefined || mark.at <= latest);
  const x = (s: number) => X0 + (Math.max(0, Math.min(latest, s)) / latest) * (X1 - X0);
  const step = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120].find((each) => latest / each <= 11) ?? 300;
  const ticks = Array.from({ length: Math.floor(latest / step + 1e-9) + 1 }, (_, index) => index * step);
  const end = running ? elapsed : Math.max(0, ...measured.map((mark) => mark.at ?? 0));
  const hidden = prediction.hidden && prediction.motors_stop_s === null;
  const flies = way.some((point) => point.height_m > 0) || flown.some((point) => point.up > 0);
  const below = flies ? AWAY.foot : HEIGHT.top + 40;
  const motors = { top: below + 20, foot: below + 42 };
  const surfaces = { top: motors.foot + 20, foot: motors.foot + 42 };
  const foot = flown.length > 0 ? (hasSurfaces ? surfaces.foot : motors.foot) : below;
  return (
    <Box sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.25, px: 1.5, py: 1 }}>
      {whole > 2 * SOON_S && (
        <Box sx={{ display: "flex", justifyContent: "flex-end", gap: 0.5, mb: -2.25, position: "relative", zIndex: 1 }}>
          {[false, true].map((each) => (
            <Button
              key={String(each)}
              variant={soon === each ? "contained" : "outlined"}
              aria-pressed={soon === each}
              onClick={() => setSoon(each)}
              sx={{ py: 0, px: 1, fontSize: 12, minHeight: 24 }}
            >
              {each ? `The first ${SOON_S} s` : "All of it"}
            </Button>
          ))}
        </Box>
      )}
      <WidePicture name="Timeline" least={640}>
        <svg
          viewBox={`0 0 ${W} ${foot + 26}`}
          width="100%"
          role="img"
          aria-label={describe(predicted, measured, hidden, told)}
          style={{ display: "block", fontFamily: '"Figtree Variable", sans-serif' }}
        >
          <text x={8} y={LANES.predicted + 4} fontSize={12.5} fontWeight={600} fill={colours.slate}>
            predicted
          </text>
          <text x={8} y={LANES.measured + 4} fontSize={12.5} fontWeight={600} fill={colours.copperText}>
            measured
          </text>
          {ticks.map((tick) => (
            <g key={tick}>
              <line x1={x(tick)} x2={x(tick)} y1={16} y2={foot} stroke={colours.hairline} />
              <text x={x(tick)} y={foot + 18} textAnchor="middle" fontSize={11} fontFamily={mono} fill={colours.softInk}>
                {tick.toFixed(step < 1 ? 1 : 0)} s
              </text>
            </g>
          ))}
          <text x={X0} y={11} fontSize={11.5} fill={colours.softInk} textAnchor="middle">
            radio silent
          </text>
          <line x1={X0} x2={X0} y1={16} y2={foot} stroke={colours.ink} strokeWidth={1.5} />
          <Lane
            y={LANES.predicted}
            marks={inSight(predicted)}
            x={x}
            end={hidden ? latest : Math.max(prediction.motors_stop_s ?? 0, prediction.home_s ?? 0, stopsLater ? (way.at(-1)?.t ?? 0) : 0)}
            ink={colours.slate}
            dashed={hidden}
          />
          {hidden && (
            <text x={X0 + 12} y={LANES.predicted - 9} fontSize={12.5} fontWeight={600} fill={colours.oxide}>
              the receiver hides the loss: the board never learns of it
            </text>
          )}
          {run ? (
            <Lane y={LANES.measured} marks={inSight(measured)} x={x} end={end} ink={colours.copper} />
          ) : (
            <text x={X0 + 12} y={LANES.measured + 4} fontSize={12.5} fill={colours.softInk}>
              no loss seen with these settings yet
            </text>
          )}
          {flies ? (
            <>
              <Chart
                {...HEIGHT}
                label="height"
                x={x}
                latest={latest}
                way={way.map((point) => [point.t, point.height_m])}
                flown={flown.map((point) => [point.t, point.up])}
                line={does === "return home" ? told.clear_line_m : null}
                lineSays={`must clear ${told.clears.map((each) => each.metres).join(" + ")} = ${told.clear_line_m} m`}
              />
              <Chart
                {...AWAY}
                label="from home"
                x={x}
                latest={latest}
                way={way.map((point) => [point.t, point.distance_m])}
                flown={flown.map((point) => [point.t, point.away])}
              />
            </>
          ) : (
            <Chart
              top={HEIGHT.top}
              foot={HEIGHT.top + 40}
              label="from home"
              x={x}
              latest={latest}
              way={way.map((point) => [point.t, point.distance_m])}
              flown={flown.map((point) => [point.t, point.away])}
            />
          )}
          {flown.length > 0 && (
            <Chart
              {...motors}
              label="motors"
              unit="%"
              x={x}
              latest={latest}
              way={[]}
              flown={flown.map((point) => [point.t, Math.abs(point.motors)])}
              line={null}
            />
          )}
          {hasSurfaces && flown.length > 0 && (
            <Chart
              {...surfaces}
              label="surfaces"
              unit="%"
              x={x}
              latest={latest}
              way={[]}
              flown={flown.map((point) => [point.t, Math.abs(point.surfaces)])}
            />
          )}
        </svg>
      </WidePicture>
      <Box sx={{ fontSize: 12, color: "text.secondary", mt: 0.25 }}>
        The craft stays on the bench. Its way after the loss is simulated, by forces, from what its board asks of the motors; predicted is
        reckoned apart from it.
      </Box>
    </Box>
  );
}

type Points = (readonly [number, number])[];

/** One quantity over time: predicted dashed, flown in full, and a line that it is judged by. */
function Chart({
  top,
  foot,
  label,
  x,
  latest,
  way,
  flown,
  line = null,
  lineSays,
  unit = "m",
}: {
  top: number;
  foot: number;
  label: string;
  x: (s: number) => number;
  latest: number;
  way: Points;
  flown: Points;
  line?: number | null;
  lineSays?: string;
  unit?: string;
}) {
  const shown = (points: Points) => points.filter(([t]) => t <= latest + 1e-6);
  const highest = Math.max(1, line ?? 0, ...shown(way).map(([, value]) => value), ...shown(flown).map(([, value]) => value));
  const nice =
    [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000].find((each) => highest / each <= (foot - top > 60 ? 3 : 1.99)) ?? 20000;
  const tall = highest * 1.12;
  const y = (value: number) => foot - (Math.max(0, value) / tall) * (foot - top);
  const drawn = (points: Points) =>
    shown(points)
      .map(([t, value], index) => `${index ? "L" : "M"}${x(t).toFixed(1)} ${y(value).toFixed(1)}`)
      .join("");
  const last = shown(flown).at(-1);
  const steps = Array.from({ length: Math.floor(highest / nice) + 1 }, (_, index) => index * nice);
  return (
    <g>
      <text x={8} y={top - 4} fontSize={12} fill={colours.softInk}>
        {label}
      </text>
      {steps.map((value) => (
        <g key={value}>
          <line x1={X0} x2={X1} y1={y(value)} y2={y(value)} stroke={colours.hairline} strokeWidth={value === 0 ? 1.5 : 1} />
          <text x={X0 - 6} y={y(value) + 4} fontSize={10.5} fontFamily={mono} textAnchor="end" fill={colours.softInk}>
            {value === 0 && label === "height" ? "ground" : `${value} ${unit}`}
          </text>
        </g>
      ))}
      {line !== null && (
        <>
          <line x1={X0} x2={X1} y1={y(line)} y2={y(line)} stroke={colours.oxide} strokeDasharray="2 4" strokeWidth={1.5} />
          <text x={X1} y={y(line) + 13} fontSize={11.5} textAnchor="end" fill={colours.oxide}>
            {lineSays}
          </text>
        </>
      )}
      <path d={drawn(way)} fill="none" stroke={colours.slate} strokeWidth={2} strokeDasharray="6 4" />
      <path d={drawn(flown)} fill="none" stroke={colours.copper} strokeWidth={2.5} />
      {last && <circle cx={x(last[0])} cy={y(last[1])} r={4.5} fill={colours.copper} />}
    </g>
  );
}

function Lane({
  y,
  marks,
  x,
  end,
  ink,
  dashed = false,
}: {
  y: number;
  marks: Mark[];
  x: (s: number) => number;
  end: number;
  ink: string;
  dashed?: boolean;
}) {
  const there = marks.filter((mark): mark is { at: number; text: string } => mark.at !== null && mark.at !== undefined);
  const placed = place(there.map((mark) => ({ x: x(mark.at), text: `${mark.text} ${said(mark.at)}` })));
  return (
    <g>
      <line x1={x(0)} x2={x(end)} y1={y} y2={y} stroke={ink} strokeWidth={3} strokeDasharray={dashed ? "6 5" : undefined} />
      {there.map((mark, index) => (
        <g key={mark.text}>
          <path d={`M${x(mark.at)} ${y - 8}l6 8l-6 8l-6 -8z`} fill={ink} />
          <text x={placed[index]?.x} y={y + (placed[index]?.dy ?? 0)} fontSize={12} fill={colours.ink}>
            {mark.text} <tspan fontFamily={mono}>{said(mark.at)}</tspan>
          </text>
        </g>
      ))}
    </g>
  );
}

/** Seconds as finely as they can be judged. */
const said = (s: number) => (s < 10 ? s.toFixed(2) : s.toFixed(1));

const LETTER = 7; // units of the drawing, of a mean letter with room about it
const ROWS = [-12, 21, -25, 34]; // above, below, and the next row of either

/** Where each label stands: centred on its mark where there is room, kept inside, and in the first row in which it overprints no other. */
function place(labels: { x: number; text: string }[]): { x: number; dy: number }[] {
  const ends = ROWS.map(() => Number.NEGATIVE_INFINITY);
  return labels.map((label) => {
    const width = label.text.length * LETTER;
    const left = Math.max(X0 + 5, Math.min(label.x - width / 2, X1 - width));
    const free = ends.findIndex((end) => end <= left);
    const row = free < 0 ? ends.indexOf(Math.min(...ends)) : free;
    const at = Math.max(left, free < 0 ? (ends[row] ?? left) : left);
    ends[row] = at + width;
    return { x: at, dy: ROWS[row] ?? 0 };
  });
}

function describe(predicted: Mark[], measured: Mark[], hidden: boolean, told: LostTold): string {
  const say = (marks: Mark[]) =>
    marks
      .filter((mark) => mark.at !== null && mark.at !== undefined)
      .map((mark) => `${mark.text} after ${said(mark.at ?? 0)} s`)
      .join(", ");
  const last = flownOf(told.loss).at(-1);
  const where = last
    ? ` Simulated: ${last.up.toFixed(0)} m high and ${last.away.toFixed(0)} m from home after ${last.t.toFixed(0)} s.`
    : "";
  return `Predicted: ${hidden ? "the board never learns of the loss" : say(predicted)}. Measured: ${say(measured) || "nothing yet"}.${where}`;
}
