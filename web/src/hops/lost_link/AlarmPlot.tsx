import type { AlarmFound } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { WidePicture } from "../../look/WidePicture";

type Found = AlarmFound["found"];

const W = 860;
const H = 270;
const X0 = 60;
const X1 = 840;
const TOP = 30;
const FOOT = 228;

export const UNITS = { rssi_dbm: "dBm", rssi_percent: "%", lq_percent: "%" } as const;
export const CALLED = { rssi_dbm: "RSSI", rssi_percent: "RSSI", lq_percent: "link quality" } as const;

/** What was lost at which signal: a point for each, the fitted curve, where loss begins with its interval, and the alarm line. */
export function AlarmPlot({ found }: { found: Found }) {
  const points = found.points;
  const lines = [found.begins_at, found.alarm_line, found.interval?.[0], found.interval?.[1]].filter(
    (each) => each !== null && each !== undefined,
  );
  const low = Math.min(...points.map((each) => each.signal), ...lines);
  const high = Math.max(...points.map((each) => each.signal), ...lines);
  const room = Math.max(1, (high - low) * 0.04);
  const x = (signal: number) => X0 + ((signal - low + room) / (high - low + 2 * room)) * (X1 - X0);
  const y = (share: number) => FOOT - share * (FOOT - TOP);
  const curve = found.curve;
  const most = Math.max(...points.map((each) => each.frames));
  const step = [1, 2, 5, 10, 20].find((each) => (high - low) / each <= 12) ?? 50;
  const ticks = Array.from({ length: 40 }, (_, index) => (Math.ceil(low / step) + index) * step).filter((each) => each <= high);
  const drawn = curve
    ? Array.from({ length: 121 }, (_, index) => {
        const signal = low - room + (index / 120) * (high - low + 2 * room);
        return `${index ? "L" : "M"}${x(signal).toFixed(1)} ${y(1 / (1 + Math.exp(curve.steepness * (signal - curve.middle)))).toFixed(1)}`;
      }).join("")
    : "";
  const unit = UNITS[found.signal];
  const begins = found.begins_at;
  return (
    <WidePicture name="Loss by signal" least={640}>
      <svg
        viewBox={`0 0 ${W} ${H}`}
        width="100%"
        role="img"
        aria-label={inWords(found)}
        style={{ display: "block", fontFamily: '"Figtree Variable", sans-serif' }}
      >
        {[0, 0.25, 0.5, 0.75, 1].map((share) => (
          <g key={share}>
            <line x1={X0} x2={X1} y1={y(share)} y2={y(share)} stroke={colours.hairline} />
            <text x={X0 - 6} y={y(share) + 4} fontSize={10.5} fontFamily={mono} textAnchor="end" fill={colours.softInk}>
              {share * 100} %
            </text>
          </g>
        ))}
        <text x={8} y={TOP - 14} fontSize={12} fill={colours.softInk}>
          frames lost
        </text>
        {ticks.map((tick) => (
          <text key={tick} x={x(tick)} y={FOOT + 18} fontSize={11} fontFamily={mono} textAnchor="middle" fill={colours.softInk}>
            {tick}
          </text>
        ))}
        <text x={X1} y={FOOT + 36} fontSize={12} textAnchor="end" fill={colours.softInk}>
          {CALLED[found.signal]}, {unit}
        </text>
        {found.interval?.[0] !== undefined && found.interval[1] !== undefined && (
          <rect
            x={x(found.interval[0])}
            width={Math.max(2, x(found.interval[1]) - x(found.interval[0]))}
            y={TOP}
            height={FOOT - TOP}
            fill={colours.oxideWash}
          />
        )}
        {points.map((each) => (
          <circle
            key={each.signal}
            cx={x(each.signal)}
            cy={y(each.frames ? each.lost / each.frames : 0)}
            r={1.6 + 3.4 * Math.sqrt(each.frames / most)}
            fill={colours.slate}
            fillOpacity={0.75}
          />
        ))}
        <path d={drawn} fill="none" stroke={colours.copper} strokeWidth={2} />
        {found.alarm_line !== null && (
          <Line
            at={x(found.alarm_line)}
            ink={colours.verdigris}
            label={`alarm ${fine(found.alarm_line)} ${unit}`}
            row={1}
            left={x(found.alarm_line) > X1 - 140}
          />
        )}
        {begins !== null && (
          <Line
            at={x(begins)}
            ink={colours.oxide}
            label={`loss begins ${found.only_a_bound ? "no higher than " : ""}${fine(begins)} ${unit}`}
            row={0}
            left={x(begins) > X0 + 240}
          />
        )}
      </svg>
    </WidePicture>
  );
}

function Line({ at, ink, label, row, left }: { at: number; ink: string; label: string; row: number; left: boolean }) {
  return (
    <g>
      <line x1={at} x2={at} y1={TOP - 6} y2={FOOT} stroke={ink} strokeWidth={1.8} strokeDasharray={row ? undefined : "5 4"} />
      <text
        x={at + (left ? -6 : 6)}
        y={TOP + 10 + row * 18}
        fontSize={12.5}
        fontWeight={600}
        textAnchor={left ? "end" : "start"}
        fill={ink}
        stroke={colours.raised}
        strokeWidth={4}
        paintOrder="stroke"
      >
        {label}
      </text>
    </g>
  );
}

/** To a tenth: a log says no more. */
export const fine = (signal: number | null | undefined) => (signal === null || signal === undefined ? "–" : signal.toFixed(1));

/** The same for who cannot see it. */
export function inWords(found: Found): string {
  const unit = UNITS[found.signal];
  if (found.begins_at === null) return `${found.rows} rows, ${found.losses} frames lost: where loss begins cannot be said.`;
  const begins = `Loss begins at ${fine(found.begins_at)} ${unit}${found.only_a_bound ? " or lower" : ""}`;
  const between = found.interval ? `, between ${fine(found.interval[0])} and ${fine(found.interval[1])} with 95 %` : "";
  return `${begins}${between}; alarm at ${fine(found.alarm_line)} ${unit}.`;
}
