import { memo, useRef, useState } from "react";
import type { Report } from "../../api/types";
import { LiveCanvas } from "../../bench/LiveCanvas";
import { type Bench, useBenchStore, useSteady } from "../../bench/useBench";
import { colours, mono, solid } from "../../look/colours";
import { type Axis, channelOf, NOISE_US } from "./axes";
import { hull, type Point } from "./hull";
import { LineHandle, type Which } from "./LineHandle";

const SIZE = 282;
const LEFT = 54;
const TOP = 22;
const FIELD = 212;
const LOW = 930;
const HIGH = 2070;
const TRAIL = 60;
const LEAST_WAY_US = 3;
const CROSS = 11;
const WHICH: Which[] = ["high", "low"];

interface Props {
  side: "left" | "right";
  x: Axis;
  y: Axis;
  map: string;
  lines: Record<Which, number>;
  onLine: (which: Which, us: number) => void;
}

const at = (us: number) => ((Math.max(LOW, Math.min(HIGH, us)) - LOW) / (HIGH - LOW)) * FIELD;
const px = (us: number) => LEFT + at(us);
const py = (us: number) => TOP + FIELD - at(us);
const usAt = (y: number) => LOW + ((TOP + FIELD - y) / FIELD) * (HIGH - LOW);

/** One gimbal as the board sees it: a field, with the lines it is judged by. */
export const StickField = memo(function StickField({ side, x, y, map, lines, onLine }: Props) {
  const [dragged, setDragged] = useState<{ which: Which; us: number } | null>(null);
  const shown = dragged ? { ...lines, [dragged.which]: dragged.us } : lines;
  const reachedX = useBenchStore((state) => state.report?.told.sticks?.measured.reached[x]);
  const reachedY = useBenchStore((state) => state.report?.told.sticks?.measured.reached[y]);
  const caption = useSteady(({ report }) => captionOf(report, [x, y]));
  const known = reachedX?.low !== null && reachedX?.low !== undefined;
  const hears = useBenchStore((state) => state.live?.board.link === "good");
  const sees = useBenchStore((state) => state.live?.board.axes[x] != null && state.live.board.axes[y] != null);
  const [spanX, spanY] = [reachedX, reachedY].map((each) => ({ low: each?.low ?? null, high: each?.high ?? null }));
  const ticks = [1000, 1500, 2000];
  return (
    <figure
      style={{ margin: 0, position: "relative", width: SIZE, contain: "content" }}
      aria-label={`${side} stick: ${x} and ${y}; in figures below`}
    >
      <svg width={SIZE} height={TOP + FIELD + 36} style={{ display: "block", fontFamily: mono }} aria-hidden="true">
        <text x={8} y={13} fontSize={12} fill={colours.softInk} fontFamily='"Figtree Variable", sans-serif'>
          <tspan fontWeight={600}>{side === "left" ? "Left" : "Right"}</tspan>{" "}
          <tspan fill={caption.good ? colours.verdigris : colours.copperText}>{caption.text}</tspan>
        </text>
        <rect x={LEFT} y={TOP} width={FIELD} height={FIELD} fill={colours.raised} stroke={colours.hairline} />
        {spanX?.low != null && spanX.high !== null && spanY?.low != null && spanY.high !== null && (
          <rect
            x={px(spanX.low)}
            y={py(spanY.high)}
            width={Math.max(1, px(spanX.high) - px(spanX.low))}
            height={Math.max(1, py(spanY.low) - py(spanY.high))}
            fill={colours.verdigris}
            opacity={0.12}
          />
        )}
        <rect
          x={px(1000)}
          y={py(2000)}
          width={px(2000) - px(1000)}
          height={py(1000) - py(2000)}
          fill="none"
          stroke={colours.slate}
          strokeWidth={1.5}
        />
        {WHICH.map((which) => ({ which, line: shown[which] })).map(({ which, line }) => (
          <g key={which} stroke={colours.tarnish} strokeDasharray="3 3" opacity={0.9}>
            <line x1={LEFT} x2={LEFT + FIELD} y1={py(line)} y2={py(line)} />
            <line x1={px(line)} x2={px(line)} y1={TOP} y2={TOP + FIELD} />
          </g>
        ))}
        <path d={`M${px(1500)} ${TOP}V${TOP + FIELD}M${LEFT} ${py(1500)}H${LEFT + FIELD}`} stroke={colours.hairline} />
        {ticks.map((tick) => (
          <g key={tick} fontSize={10.5} fill={colours.softInk}>
            <text x={LEFT - 5} y={py(tick) + 3.5} textAnchor="end">
              {tick}
            </text>
            <text x={px(tick)} y={TOP + FIELD + 13} textAnchor="middle">
              {tick}
            </text>
          </g>
        ))}
        <text
          x={LEFT + FIELD / 2}
          y={TOP + FIELD + 28}
          textAnchor="middle"
          fontSize={12}
          fill={colours.ink}
          fontFamily='"Figtree Variable", sans-serif'
        >
          {x} CH{channelOf(x, map)}
        </text>
        <text
          x={9}
          y={TOP + FIELD / 2}
          textAnchor="middle"
          fontSize={12}
          fill={colours.ink}
          transform={`rotate(-90 9 ${TOP + FIELD / 2})`}
          fontFamily='"Figtree Variable", sans-serif'
        >
          {y} CH{channelOf(y, map)}
        </text>
        {!sees && (
          <text
            x={LEFT + FIELD / 2}
            y={TOP + FIELD / 2 - 8}
            textAnchor="middle"
            fontSize={13}
            fill={colours.softInk}
            fontFamily='"Figtree Variable", sans-serif'
          >
            the board sees no stick
          </text>
        )}
      </svg>
      <Been x={x} y={y} known={known} ink={hears ? colours.copper : colours.tarnish} />
      {WHICH.map((which) => (
        <LineHandle
          key={which}
          which={which}
          us={lines[which]}
          shown={shown[which]}
          x={LEFT + FIELD}
          y={py(shown[which])}
          usAt={usAt}
          onDrag={(us) => setDragged(us === null ? null : { which, us })}
          onCommit={(us) => onLine(which, us)}
        />
      ))}
    </figure>
  );
});

/** Where the stick is, the last stretch of its way, and the hull of all of it. */
function Been({ x, y, known, ink }: { x: Axis; y: Axis; known: boolean; ink: string }) {
  const trail = useRef<Point[]>([]);
  const outline = useRef<Point[]>([]);
  if (!known) outline.current = [];
  const at = ({ live }: Bench): Point | null => {
    const [atX, atY] = [live?.board.axes[x], live?.board.axes[y]];
    return atX == null || atY == null ? null : { x: atX, y: atY };
  };
  return (
    <LiveCanvas
      width={SIZE}
      height={TOP + FIELD}
      least={NOISE_US}
      pick={(bench) => {
        const now = at(bench);
        const last = trail.current.at(-1);
        const good = bench.live?.board.link === "good";
        if (now && good && !(last && Math.abs(last.x - now.x) + Math.abs(last.y - now.y) <= LEAST_WAY_US)) {
          trail.current = [...trail.current.slice(1 - TRAIL), now];
          outline.current = hull([...outline.current, now]);
        }
        return [now?.x, now?.y];
      }}
      draw={(pen, bench) => {
        drawOutline(pen, outline.current);
        drawTrail(pen, trail.current);
        const now = at(bench);
        if (now) drawCross(pen, px(now.x), py(now.y), ink);
      }}
      style={{ position: "absolute", inset: 0, pointerEvents: "none" }}
    />
  );
}

function path(pen: CanvasRenderingContext2D, points: Point[]): void {
  pen.beginPath();
  for (const point of points) pen.lineTo(px(point.x), py(point.y));
}

function drawOutline(pen: CanvasRenderingContext2D, points: Point[]): void {
  if (points.length < 3) return;
  path(pen, points);
  pen.closePath();
  pen.fillStyle = pen.strokeStyle = solid(colours.verdigris);
  pen.globalAlpha = 0.1;
  pen.fill();
  pen.globalAlpha = 1;
  pen.lineWidth = 1.5;
  pen.stroke();
}

function drawTrail(pen: CanvasRenderingContext2D, points: Point[]): void {
  path(pen, points);
  pen.strokeStyle = solid(colours.copper);
  pen.lineWidth = 1;
  pen.globalAlpha = 0.35;
  pen.stroke();
  pen.globalAlpha = 1;
}

function drawCross(pen: CanvasRenderingContext2D, atX: number, atY: number, ink: string): void {
  pen.strokeStyle = solid(ink);
  pen.lineWidth = 2.2;
  pen.beginPath();
  pen.arc(atX, atY, 5, 0, 2 * Math.PI);
  pen.moveTo(atX - CROSS, atY);
  pen.lineTo(atX + CROSS, atY);
  pen.moveTo(atX, atY - CROSS);
  pen.lineTo(atX, atY + CROSS);
  pen.stroke();
}

/** What one gimbal still lacks, or that nothing is left. */
function captionOf(report: Report | null, axes: [Axis, Axis]): { text: string; good: boolean } {
  const open = axes.find((axis) => !report?.told.sticks?.proven[axis]);
  return open
    ? { text: `${open}: ${report?.told.sticks?.verdicts[open] ?? "not seen yet"}`, good: false }
    : { text: "both proven", good: true };
}
