import { useRef } from "react";
import type { Live, Report } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { hull, type Point } from "./hull";

export type Axis = "roll" | "pitch" | "throttle" | "yaw";

const SIZE = 282;
const LEFT = 54;
const TOP = 22;
const FIELD = 212;
const LOW = 930;
const HIGH = 2070;
const TRAIL = 60;

interface Props {
  side: "left" | "right";
  x: Axis;
  y: Axis;
  channel: (axis: Axis) => number;
  axes: Live["board"]["axes"];
  reached: NonNullable<Report["sticks"]["reached"]>;
  lines: { low?: number; high?: number };
  live: boolean;
  caption: { text: string; good: boolean };
}

const at = (us: number) => ((Math.max(LOW, Math.min(HIGH, us)) - LOW) / (HIGH - LOW)) * FIELD;
const px = (us: number) => LEFT + at(us);
const py = (us: number) => TOP + FIELD - at(us);

/** One gimbal as the board sees it: a field, with the lines it is judged by. */
export function StickField({ side, x, y, channel, axes, reached, lines, live, caption }: Props) {
  const trail = useRef<Point[]>([]);
  const outline = useRef<Point[]>([]);
  const now = axes[x] !== null && axes[y] !== null && axes[x] !== undefined && axes[y] !== undefined ? { x: axes[x], y: axes[y] } : null;
  const known = reached[x]?.low !== null && reached[x]?.low !== undefined;
  if (!known) outline.current = [];
  const last = trail.current.at(-1);
  if (now && live && (!last || Math.abs(last.x - now.x) + Math.abs(last.y - now.y) > 3)) {
    trail.current = [...trail.current.slice(1 - TRAIL), now];
    outline.current = hull([...outline.current, now]);
  }
  const box = (axis: Axis) => ({ low: reached[axis]?.low ?? null, high: reached[axis]?.high ?? null });
  const [spanX, spanY] = [box(x), box(y)];
  const ticks = [1000, 1500, 2000];
  return (
    <figure
      style={{ margin: 0 }}
      aria-label={`${side} stick: ${x} ${now ? now.x.toFixed(0) : "unknown"}, ${y} ${now ? now.y.toFixed(0) : "unknown"} us`}
    >
      <svg width={SIZE} height={TOP + FIELD + 36} style={{ display: "block", fontFamily: mono }} aria-hidden="true">
        <text x={LEFT} y={13} fontSize={12} fill={colours.softInk} fontFamily='"Figtree Variable", sans-serif'>
          <tspan fontWeight={600}>{side === "left" ? "Left" : "Right"}</tspan>{" "}
          <tspan fill={caption.good ? colours.verdigris : colours.copperText}>{caption.text}</tspan>
        </text>
        <rect x={LEFT} y={TOP} width={FIELD} height={FIELD} fill={colours.raised} stroke={colours.hairline} />
        {spanX.low !== null && spanX.high !== null && spanY.low !== null && spanY.high !== null && (
          <rect
            x={px(spanX.low)}
            y={py(spanY.high)}
            width={Math.max(1, px(spanX.high) - px(spanX.low))}
            height={Math.max(1, py(spanY.low) - py(spanY.high))}
            fill={colours.verdigris}
            opacity={0.12}
          />
        )}
        {outline.current.length > 2 && (
          <polygon
            points={outline.current.map((point) => `${px(point.x)},${py(point.y)}`).join(" ")}
            fill={colours.verdigris}
            fillOpacity={0.1}
            stroke={colours.verdigris}
            strokeWidth={1.5}
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
        {[lines.low ?? 1080, lines.high ?? 1920].map((line) => (
          <g key={line} stroke={colours.tarnish} strokeDasharray="3 3" opacity={0.9}>
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
          {x} CH{channel(x)}
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
          {y} CH{channel(y)}
        </text>
        {trail.current.length > 1 && (
          <polyline
            points={trail.current.map((point) => `${px(point.x)},${py(point.y)}`).join(" ")}
            fill="none"
            stroke={colours.copper}
            strokeWidth={1}
            opacity={0.35}
          />
        )}
        {now && (
          <g stroke={live ? colours.copper : colours.tarnish} strokeWidth={2.2} fill="none">
            <circle cx={px(now.x)} cy={py(now.y)} r={5} />
            <path d={`M${px(now.x) - 11} ${py(now.y)}h22M${px(now.x)} ${py(now.y) - 11}v22`} />
          </g>
        )}
        {!now && (
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
    </figure>
  );
}
