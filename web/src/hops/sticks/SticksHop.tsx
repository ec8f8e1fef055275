import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { doAct, useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/CraftPage";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { type Axis, StickField } from "./StickField";

const AXES: { axis: Axis; letter: string; up: string }[] = [
  { axis: "roll", letter: "A", up: "right" },
  { axis: "pitch", letter: "E", up: "forward" },
  { axis: "throttle", letter: "T", up: "up" },
  { axis: "yaw", letter: "R", up: "right" },
];
/** Which axes each gimbal moves, by stick mode: [x, y] of left and right. */
const FIELDS: Record<number, { left: [Axis, Axis]; right: [Axis, Axis] }> = {
  1: { left: ["yaw", "pitch"], right: ["roll", "throttle"] },
  2: { left: ["yaw", "throttle"], right: ["roll", "pitch"] },
  3: { left: ["roll", "pitch"], right: ["yaw", "throttle"] },
  4: { left: ["roll", "throttle"], right: ["yaw", "pitch"] },
};

export function SticksHop({ craft }: HopProps) {
  const report = useBenchStore((state) => state.report);
  const live = useBenchStore((state) => state.live);
  const lines = craft.document.settings.stick_lines ?? { low: 1080, high: 1920 };
  const map = craft.document.settings.channel_map ?? "AETR";
  const channel = (axis: Axis) => map.indexOf(AXES.find((each) => each.axis === axis)?.letter ?? "") + 1;
  const fields = FIELDS[craft.document.transmitter.stick_mode ?? 2] ?? FIELDS[2];
  if (!report || !live || !fields) return <p>Listening…</p>;
  const number = (value: number | null | undefined) => (value === null || value === undefined ? "–" : value.toFixed(0));
  return (
    <>
      <HopHead title="Sticks" question="Does the board see what your thumbs do? Move both sticks to all their corners; all is measured.">
        <Button variant="outlined" onClick={() => doAct("measure anew")}>
          Measure anew
        </Button>
      </HopHead>
      <Box sx={{ display: "grid", gridTemplateColumns: "282px 282px minmax(220px, 1fr)", gap: 2.5, mb: 1 }}>
        {(["left", "right"] as const).map((side) => (
          <StickField
            key={side}
            side={side}
            x={fields[side][0]}
            y={fields[side][1]}
            channel={channel}
            axes={live.board.axes}
            reached={report.sticks.reached ?? {}}
            lines={lines}
            live={live.board.link === "good"}
          />
        ))}
        <Box>
          <Box component="h3" sx={{ m: 0, mb: 0.75, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
            Other channels, CH5 to CH16, us
          </Box>
          <Box sx={{ display: "grid", gridTemplateColumns: "repeat(3, 1fr)", gap: 0.6 }}>
            {Array.from({ length: 12 }, (_, index) => index + 4).map((index) => (
              <OtherChannel
                key={index}
                name={`CH${index + 1}`}
                source={craft.document.transmitter.channels[index]?.source}
                us={live.board.channels[index]}
              />
            ))}
          </Box>
          <Box sx={{ mt: 1, fontSize: 12, color: "text.secondary", display: "grid", gap: 0.1 }}>
            <Key ink={colours.slate} text="square: full travel, 1000 to 2000 us" />
            <Key ink={colours.verdigris} text="green: what your sticks have reached" />
            <Key ink={colours.copper} text="copper: where they are now" />
            <Key ink={colours.tarnish} text={`dashed: stick-low ${lines.low}, stick-high ${lines.high}`} />
          </Box>
        </Box>
      </Box>
      <Box
        component="table"
        sx={{
          borderCollapse: "collapse",
          width: "100%",
          maxWidth: 860,
          fontSize: 13.5,
          "& th, & td": { textAlign: "right", py: 0.45, px: 1, borderBottom: `1px solid ${colours.hairline}` },
          "& td.mono": { fontFamily: mono },
          "& th": { fontWeight: 500, color: "text.secondary" },
        }}
      >
        <thead>
          <tr>
            <Box component="th" sx={{ textAlign: "left !important" }}>
              axis
            </Box>
            <th>now</th>
            <th>low, under {lines.low}</th>
            <th>centre, 1500 ± 15</th>
            <th>high, over {lines.high}</th>
            <th>jitter</th>
            <Box component="th" sx={{ textAlign: "left !important" }}>
              verdict
            </Box>
          </tr>
        </thead>
        <tbody>
          {AXES.map(({ axis, up }) => {
            const reached = report.sticks.reached?.[axis];
            const good = report.sticks_proven[axis];
            return (
              <tr key={axis}>
                <Box component="td" sx={{ textAlign: "left !important" }}>
                  <b>{axis}</b>{" "}
                  <Box component="span" sx={{ color: "text.secondary", fontSize: 12 }}>
                    CH{channel(axis)}, {up} is high
                  </Box>
                </Box>
                <Box component="td" className="mono" sx={{ color: colours.copperText }}>
                  {number(live.board.axes[axis])}
                </Box>
                <td className="mono">{number(reached?.low)}</td>
                <td className="mono">{axis === "throttle" ? "" : number(reached?.centre)}</td>
                <td className="mono">{number(reached?.high)}</td>
                <td className="mono">
                  {reached?.jitter === null || reached?.jitter === undefined ? "–" : `±${reached.jitter.toFixed(1)}`}
                </td>
                <Box component="td" sx={{ textAlign: "left !important", color: good ? colours.verdigris : colours.copperText }}>
                  {report.stick_verdicts[axis]}
                </Box>
              </tr>
            );
          })}
        </tbody>
      </Box>
    </>
  );
}

function OtherChannel({ name, source, us }: { name: string; source: string | undefined; us: number | undefined }) {
  const at = us === undefined ? null : Math.max(0, Math.min(1, (us - 900) / 1200));
  return (
    <Box
      sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 0.75, px: 0.75, pt: 0.1, pb: 0.4 }}
      title="ticks at 1000, 1500 and 2000 us"
    >
      <Box
        sx={{
          display: "flex",
          justifyContent: "space-between",
          alignItems: "baseline",
          fontSize: 11,
          color: "text.secondary",
          whiteSpace: "nowrap",
        }}
      >
        <span>
          {name.slice(2)}
          {source ? ` ${source}` : ""}
        </span>
        <Box component="span" sx={{ fontFamily: mono, fontSize: 12.5, color: "text.primary" }}>
          {us === undefined ? "–" : us.toFixed(0)}
        </Box>
      </Box>
      <svg width="100%" height={7} viewBox="0 0 120 7" preserveAspectRatio="none" aria-hidden="true" style={{ display: "block" }}>
        <path d="M0 3.5H120M10 1V6M60 1V6M110 1V6" stroke={colours.tarnish} strokeWidth={1} fill="none" vectorEffect="non-scaling-stroke" />
        {at !== null && <path d={`M${at * 120} 0V7`} stroke={colours.copper} strokeWidth={2.5} vectorEffect="non-scaling-stroke" />}
      </svg>
    </Box>
  );
}

function Key({ ink, text }: { ink: string; text: string }) {
  return (
    <span>
      <span style={{ display: "inline-block", width: 14, borderTop: `3px solid ${ink}`, marginRight: 6, verticalAlign: "middle" }} />
      {text}
    </span>
  );
}
