import type { Report } from "../../api/types";
import { colours, mono } from "../../look/colours";

const H = 300;
const LOW = 850;
const HIGH = 2150;
const X = 46;
const LANE = 56;

const y = (us: number) => 26 + ((HIGH - Math.max(LOW, Math.min(HIGH, us))) / (HIGH - LOW)) * (H - 40);

/** One switch channel: resting values on the ruler, bands as lanes beside it, clearance in us on each. */
export function Ruler({ view, now }: { view: Report["switches"][number]; now: number | undefined }) {
  const ticks = Array.from({ length: 13 }, (_, index) => 900 + index * 100);
  return (
    <figure
      style={{ margin: 0 }}
      aria-label={`${view.source} on CH${view.channel}: ${view.detents.length} of ${view.positions} detents learned, now ${now?.toFixed(0) ?? "unknown"} us`}
    >
      <svg width={182} height={H} aria-hidden="true" style={{ display: "block", fontFamily: mono }}>
        <text x={4} y={14} fontSize={13} fontWeight={600} fill={colours.ink} fontFamily='"Figtree Variable", sans-serif'>
          {view.source} · CH{view.channel}
        </text>
        <line x1={X} x2={X} y1={y(HIGH)} y2={y(LOW)} stroke={colours.ink} strokeWidth={1.5} />
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={X - (tick % 500 === 0 ? 6 : 3)} x2={X} y1={y(tick)} y2={y(tick)} stroke={colours.tarnish} />
            {tick % 500 === 0 && (
              <text x={X - 9} y={y(tick) + 4} textAnchor="end" fontSize={11} fill={colours.softInk}>
                {tick}
              </text>
            )}
          </g>
        ))}
        {view.bands.map((band, index) => {
          const { name, misses } = band;
          const x = X + 14 + index * (LANE + 4);
          const short = y(band.low) - y(band.high) < 40; // too short for two lines: the second stands below it
          const ink = misses ? colours.oxide : name === "arm" ? colours.verdigris : colours.slate;
          return (
            <g key={name}>
              <rect
                x={x}
                y={y(band.high)}
                width={LANE}
                height={Math.max(3, y(band.low) - y(band.high))}
                rx={4}
                fill={ink}
                fillOpacity={0.14}
                stroke={ink}
                strokeWidth={1.4}
              />
              <text
                x={x + LANE / 2}
                y={(y(band.low) + y(band.high)) / 2 + (short ? 4 : 1)}
                textAnchor="middle"
                fontSize={12.5}
                fontWeight={600}
                fill={ink}
                fontFamily='"Figtree Variable", sans-serif'
              >
                {name}
              </text>
              <text
                x={x + LANE / 2}
                y={short ? y(band.low) + 12 : (y(band.low) + y(band.high)) / 2 + 15}
                textAnchor="middle"
                fontSize={10}
                fill={ink}
              >
                {misses ? "misses" : band.clear === null ? "" : `clear ${band.clear.toFixed(0)}`}
              </text>
            </g>
          );
        })}
        {view.detents.map(([value, jitter]) => (
          <g key={value}>
            <rect
              x={X - 6}
              y={y((value ?? 0) + (jitter ?? 0)) - 1.5}
              width={12}
              height={Math.max(3, y((value ?? 0) - (jitter ?? 0)) - y((value ?? 0) + (jitter ?? 0)))}
              fill={colours.ink}
            />
          </g>
        ))}
        {now !== undefined && (
          <g>
            <line x1={X - 6} x2={X + 12} y1={y(now)} y2={y(now)} stroke={colours.copper} strokeWidth={3.5} />
            <text x={X + 12} y={H - 2} textAnchor="start" fontSize={11} fill={colours.copperText}>
              now {now.toFixed(0)}
            </text>
          </g>
        )}
      </svg>
    </figure>
  );
}
