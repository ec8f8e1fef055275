import { type PointerEvent, useState } from "react";
import type { SwitchView, Told } from "../../api/types";
import { useBenchStore } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";

const H = 300;
const TOP = 26;
const X = 46;
const LANE = 74;
const sans = '"Figtree Variable", sans-serif';

type Scale = NonNullable<Told["switchboard"]>["scale"];
type Band = SwitchView["bands"][number];

interface Drag {
  band: Band;
  edge: "low" | "high";
  at: number;
}

const rulerWidth = (view: SwitchView) => X + 20 + Math.max(1, view.bands.length) * LANE;

/** One switch channel: resting values on the ruler, bands as lanes beside it; an edge is dragged, and its clearance stands beside it. */
export function Ruler({
  view,
  scale,
  onEdge,
}: {
  view: SwitchView;
  scale: Scale;
  onEdge: (band: Band, edge: "low" | "high", to: number) => void;
}) {
  const { low, high, step } = scale;
  const y = (us: number) => TOP + ((high - Math.max(low, Math.min(high, us))) / (high - low)) * (H - 40);
  const us = (y: number) => Math.round((high - ((y - TOP) / (H - 40)) * (high - low)) / step) * step;
  const [drag, setDrag] = useState<Drag | null>(null);
  const now = useBenchStore((state) => state.live?.board.channels[view.channel - 1]);
  const seen = view.detents.filter(([, , was]) => was);
  const ticks = Array.from({ length: 13 }, (_, index) => 900 + index * 100);
  const place = (event: PointerEvent<SVGElement>) => {
    const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
    return us(event.clientY - (box?.top ?? 0));
  };
  const moved = (band: Band, edge: "low" | "high", to: number) =>
    edge === "low" ? Math.max(low, Math.min(to, band.high - step)) : Math.min(high, Math.max(to, band.low + step));
  return (
    <figure
      style={{ margin: 0 }}
      aria-label={`${view.source} on CH${view.channel}: ${seen.length} of ${view.positions} detents learned, now ${now?.toFixed(0) ?? "unknown"} us`}
    >
      <svg width={rulerWidth(view)} height={H + 16} aria-hidden="true" style={{ display: "block", fontFamily: mono, touchAction: "none" }}>
        <text x={4} y={14} fontSize={13} fontWeight={600} fill={colours.ink} fontFamily={sans}>
          {view.source} · CH{view.channel}
        </text>
        <line x1={X} x2={X} y1={y(high)} y2={y(low)} stroke={colours.ink} strokeWidth={1.5} />
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={X - (tick % 500 === 0 ? 6 : 3)} x2={X} y1={y(tick)} y2={y(tick)} stroke={colours.tarnish} />
            {tick % 500 === 0 && (
              <text x={X - 12} y={y(tick) + 4} textAnchor="end" fontSize={11} fill={colours.softInk}>
                {tick}
              </text>
            )}
          </g>
        ))}
        {view.bands.map((band, index) => {
          const held = drag?.band.path === band.path ? { ...band, [drag.edge]: drag.at } : band;
          const ink = band.misses ? colours.oxide : band.name === "arm" ? colours.verdigris : colours.slate;
          const x = X + 16 + index * LANE;
          const middle = (y(held.low) + y(held.high)) / 2;
          const short = y(held.low) - y(held.high) < 44;
          return (
            <g key={band.path}>
              <rect
                x={x}
                y={y(held.high)}
                width={LANE - 8}
                height={Math.max(3, y(held.low) - y(held.high))}
                rx={3}
                fill={ink}
                fillOpacity={0.13}
                stroke={ink}
                strokeWidth={1.3}
              />
              {named(band.name).map((word, line, words) => (
                <text
                  key={word}
                  x={x + (LANE - 8) / 2}
                  y={middle + 4 + (line - (words.length - 1) / 2) * 13}
                  textAnchor="middle"
                  fontSize={12}
                  fontWeight={600}
                  fill={ink}
                  fontFamily={sans}
                >
                  {word}
                </text>
              ))}
              {(["high", "low"] as const).map((edge) => {
                const gap = edge === "high" ? band.clear_high : band.clear_low;
                const at = y(held[edge]);
                return (
                  <g key={edge}>
                    {gap !== null && (
                      <text
                        x={x + LANE - 11}
                        y={edge === "high" ? at + (short ? -3 : 11) : at + (short ? 11 : -4)}
                        textAnchor="end"
                        fontSize={10}
                        fill={(edge === "high" ? band.close_high : band.close_low) ? colours.oxide : ink}
                      >
                        {drag?.band.path === band.path && drag.edge === edge ? `${drag.at}` : `${gap.toFixed(0)} us`}
                      </text>
                    )}
                    <rect
                      x={x}
                      y={at - 4}
                      width={LANE - 8}
                      height={8}
                      fill="transparent"
                      style={{ cursor: "ns-resize" }}
                      data-edge={`${band.name} ${edge}`}
                      onPointerDown={(event) => {
                        event.currentTarget.setPointerCapture(event.pointerId);
                        setDrag({ band, edge, at: band[edge] });
                      }}
                      onPointerMove={(event) =>
                        drag &&
                        event.currentTarget.hasPointerCapture(event.pointerId) &&
                        setDrag({ ...drag, at: moved(band, edge, place(event)) })
                      }
                      onPointerUp={() => {
                        if (drag && drag.at !== band[edge]) onEdge(band, edge, drag.at);
                        setDrag(null);
                      }}
                      onPointerCancel={() => setDrag(null)}
                    />
                  </g>
                );
              })}
            </g>
          );
        })}
        {view.detents.map(([value = 0, jitter = 0, seen]) => (
          <g key={value} stroke={seen ? colours.ink : colours.tarnish}>
            <line
              x1={X - 8}
              x2={X + 8}
              y1={y(value)}
              y2={y(value)}
              strokeWidth={seen ? 3 : 1.5}
              strokeDasharray={seen ? undefined : "3 2"}
            />
            {seen && (
              <path
                d={`M${X + 11} ${y(value + jitter) - 1}V${y(value - jitter) + 1}M${X + 8.5} ${y(value + jitter) - 1}h5M${X + 8.5} ${y(value - jitter) + 1}h5`}
                strokeWidth={1}
                fill="none"
              />
            )}
          </g>
        ))}
        {now !== undefined && <line x1={X - 8} x2={X + 8} y1={y(now)} y2={y(now)} stroke={colours.copper} strokeWidth={3.5} />}
        <text x={4} y={H + 10} fontSize={10.5} fill={colours.softInk}>
          {now === undefined ? "no signal" : <tspan fill={colours.copperText}>now {now.toFixed(0)}</tspan>}
          {seen.length > 0 && ` ±${Math.max(...seen.map(([, jitter = 0]) => jitter)).toFixed(1)}`}
        </text>
      </svg>
    </figure>
  );
}

const named = (name: string) => (name.length > 9 ? name.split(/[ -]/) : [name]);
