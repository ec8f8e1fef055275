import { LiveCanvas } from "../../bench/LiveCanvas";
import { colours, solid } from "../../look/colours";
import { type Axis, NOISE_US } from "./axes";

const WIDTH = 290;
const HEIGHT = 26;
const FIRST = 930;
const LAST = 2070;
const x = (us: number) => ((Math.max(FIRST, Math.min(LAST, us)) - FIRST) / (LAST - FIRST)) * (WIDTH - 4) + 2;

interface Props {
  axis: Axis;
  low: number | null | undefined;
  centre: number | null | undefined;
  high: number | null | undefined;
  lowLine: number;
  highLine: number;
  expected: { low: number; centre: number | null; high: number } | null;
}

/** A ruler for one stick: notches where it should come to, a bracket for where it has been, and where it is now. */
export function Rail({ axis, low, centre, high, lowLine, highLine, expected }: Props) {
  const targets = axis === "throttle" ? [1000, 2000] : [1000, 1500, 2000];
  const known = low !== null && low !== undefined && high !== null && high !== undefined;
  return (
    <div style={{ position: "relative", width: WIDTH, height: HEIGHT, contain: "strict" }}>
      <svg width={WIDTH} height={HEIGHT} aria-hidden="true" style={{ display: "block" }}>
        <rect x={x(FIRST)} y={9} width={x(lowLine) - x(FIRST)} height={8} fill={colours.bench} />
        <rect x={x(highLine)} y={9} width={x(LAST) - x(highLine)} height={8} fill={colours.bench} />
        <line x1={2} x2={WIDTH - 2} y1={13} y2={13} stroke={colours.hairline} />
        {Array.from({ length: 11 }, (_, index) => 1000 + index * 100).map((tick) => (
          <line key={tick} x1={x(tick)} x2={x(tick)} y1={13} y2={16} stroke={colours.tarnish} strokeWidth={0.8} />
        ))}
        {targets.map((target) => (
          <path key={target} d={`M${x(target) - 4} 25L${x(target)} 18L${x(target) + 4} 25Z`} fill={colours.slate} />
        ))}
        {expected &&
          [expected.low, expected.centre, expected.high].map(
            (us) => us !== null && <circle key={us} cx={x(us)} cy={5} r={2.6} fill="none" stroke={colours.slate} strokeWidth={1.2} />,
          )}
        {known && <path d={`M${x(low)} 6V13H${x(high)}V6`} fill="none" stroke={colours.verdigris} strokeWidth={2} />}
        {centre !== null && centre !== undefined && axis !== "throttle" && (
          <line x1={x(centre)} x2={x(centre)} y1={6} y2={13} stroke={colours.verdigris} strokeWidth={2} />
        )}
      </svg>
      <LiveCanvas
        data-live="rail"
        width={WIDTH}
        height={HEIGHT}
        least={NOISE_US}
        pick={({ live }) => [live?.board.axes[axis]]}
        draw={(pen, { live }) => {
          const now = live?.board.axes[axis];
          pen.fillStyle = solid(colours.copper);
          if (now != null) pen.fillRect(x(now) - 1.25, 4, 2.5, 16);
        }}
        style={{ position: "absolute", inset: 0 }}
      />
    </div>
  );
}
