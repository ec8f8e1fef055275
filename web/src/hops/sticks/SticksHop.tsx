import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Report } from "../../api/types";
import { doAct, useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/CraftPage";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { Panel } from "../../look/Panel";
import { DialCard } from "./DialCard";
import { FinderCard } from "./FinderCard";
import { LatencyBar } from "./LatencyBar";
import { MemoryPanel } from "./MemoryPanel";
import { Rail } from "./Rail";
import { RestPanel } from "./RestPanel";
import { type Axis, StickField } from "./StickField";
import { SurfacesPanel } from "./SurfacesPanel";

const AXES: { axis: Axis; letter: string }[] = [
  { axis: "roll", letter: "A" },
  { axis: "pitch", letter: "E" },
  { axis: "throttle", letter: "T" },
  { axis: "yaw", letter: "R" },
];
/** Which axes each gimbal moves, by stick mode: [x, y] of left and right. */
const FIELDS: Record<number, { left: [Axis, Axis]; right: [Axis, Axis] }> = {
  1: { left: ["yaw", "pitch"], right: ["roll", "throttle"] },
  2: { left: ["yaw", "throttle"], right: ["roll", "pitch"] },
  3: { left: ["roll", "pitch"], right: ["yaw", "throttle"] },
  4: { left: ["roll", "throttle"], right: ["yaw", "pitch"] },
};

export function SticksHop({ craft, parts, edit }: HopProps) {
  const report = useBenchStore((state) => state.report);
  const live = useBenchStore((state) => state.live);
  const [memory, setMemory] = useState(false);
  const { low = 1080, high = 1920 } = craft.document.settings.stick_lines ?? {};
  const lines = { low, high };
  const map = craft.document.settings.channel_map ?? "AETR";
  const channel = (axis: Axis) => map.indexOf(AXES.find((each) => each.axis === axis)?.letter ?? "") + 1;
  const fields = FIELDS[craft.document.transmitter.stick_mode ?? 2] ?? FIELDS[2];
  if (!report || !live || !fields) return <p>Listening…</p>;
  const work = report.stick_work;
  return (
    <>
      <HopHead
        title="Sticks"
        question="Does the board see what your thumbs do? Move one stick at a time to both its ends; all is measured."
      >
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button variant="outlined" onClick={() => setMemory(!memory)} aria-expanded={memory}>
            Model memory
          </Button>
          <Button variant="outlined" onClick={() => doAct("measure anew")}>
            Measure anew
          </Button>
        </Box>
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
            caption={captionOf(report, fields[side])}
          />
        ))}
        <Box sx={{ display: "grid", gap: 1, alignContent: "start" }}>
          <FinderCard found={report.sticks.found} sent={work.sent_order} map={map} />
          <Box sx={{ fontSize: 12, color: "text.secondary", display: "grid", gap: 0.1 }}>
            <Key ink={colours.slate} text="square: full travel, 1000 to 2000 us" />
            <Key ink={colours.verdigris} text="green: what your sticks have reached" />
            <Key ink={colours.copper} text="copper: where they are now" />
            <Key ink={colours.tarnish} text={`dashed: stick-low ${lines.low}, stick-high ${lines.high}`} />
          </Box>
        </Box>
      </Box>
      <AxisTable report={report} lines={lines} channel={channel} />
      {memory && (
        <Box sx={{ mt: 2 }} ref={intoView}>
          <MemoryPanel craft={craft} parts={parts} edit={edit} />
        </Box>
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(2, minmax(0, 1fr))", gap: 2, mt: 2, alignItems: "start" }}>
        <DialCard travel={work.travel} transmitter={parts.transmitter.name} current={report.draft_version === craft.version} edit={edit} />
        <RestPanel craft={craft} report={report} work={work} edit={edit} />
      </Box>
      {work.surfaces.length > 0 && (
        <Box sx={{ mt: 2 }}>
          <SurfacesPanel surfaces={work.surfaces} edit={edit} />
        </Box>
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(2, minmax(0, 1fr))", gap: 2, mt: 2, alignItems: "start" }}>
        {work.latency && <LatencyBar latency={work.latency} />}
        <Panel title="Other channels" aside="CH5 to CH16, us">
          <Box sx={{ display: "grid", gridTemplateColumns: "repeat(4, 1fr)", gap: 0.6 }}>
            {Array.from({ length: 12 }, (_, index) => index + 4).map((index) => (
              <OtherChannel
                key={index}
                name={`CH${index + 1}`}
                source={craft.document.transmitter.channels[index]?.source}
                us={live.board.channels[index]}
              />
            ))}
          </Box>
        </Panel>
      </Box>
    </>
  );
}

const intoView = (element: HTMLElement | null) => element?.scrollIntoView({ block: "start" });

/** What one gimbal still lacks, or that nothing is left. */
function captionOf(report: Report, axes: [Axis, Axis]): { text: string; good: boolean } {
  const open = axes.find((axis) => !report.sticks_proven[axis]);
  return open ? { text: `${open}: ${report.stick_verdicts[open]}`, good: false } : { text: "both proven", good: true };
}

/** Each axis in numbers, on its rail, with what is left to mend. */
function AxisTable({ report, lines, channel }: { report: Report; lines: { low: number; high: number }; channel: (axis: Axis) => number }) {
  const axes = useBenchStore((state) => state.live?.board.axes);
  const number = (value: number | null | undefined) => (value === null || value === undefined ? "–" : value.toFixed(0));
  const off = (value: number | null | undefined) =>
    value === null || value === undefined ? "–" : Math.abs(value) < 0.5 ? "0" : `${value > 0 ? "+" : "−"}${Math.abs(value).toFixed(0)}`;
  return (
    <Box
      component="table"
      sx={{
        borderCollapse: "collapse",
        width: "100%",
        fontSize: 13.5,
        "& th, & td": { textAlign: "right", py: 0.45, px: 0.75, borderBottom: `1px solid ${colours.hairline}` },
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
          <th>low</th>
          <th>centre</th>
          <th>high</th>
          <Box component="th" sx={{ textAlign: "left !important" }}>
            ▲ where it should come to, 1000 to 2000 us
          </Box>
          <th>still to mend</th>
          <Box component="th" sx={{ textAlign: "left !important" }}>
            verdict
          </Box>
        </tr>
      </thead>
      <tbody>
        {AXES.map(({ axis }) => {
          const reached = report.sticks.reached?.[axis];
          const good = report.sticks_proven[axis];
          const travel = report.stick_work.travel.find((each) => each.axis === axis);
          const left = travel?.left;
          const far = left ? Math.max(Math.abs(left.low), Math.abs(left.centre ?? 0), Math.abs(left.high)) > (travel?.near_us ?? 2) : false;
          return (
            <tr key={axis}>
              <Box component="td" sx={{ textAlign: "left !important", whiteSpace: "nowrap" }}>
                <b>{axis}</b>{" "}
                <Box component="span" sx={{ color: "text.secondary", fontSize: 12 }}>
                  CH{channel(axis)}
                </Box>
              </Box>
              <Box component="td" className="mono" sx={{ color: colours.copperText }}>
                {number(axes?.[axis])}
              </Box>
              <td className="mono">{number(reached?.low)}</td>
              <td className="mono">{axis === "throttle" ? "" : number(reached?.centre)}</td>
              <td className="mono">{number(reached?.high)}</td>
              <td>
                <Rail
                  axis={axis}
                  low={reached?.low}
                  centre={reached?.centre}
                  high={reached?.high}
                  lines={lines}
                  expected={travel?.expected ?? null}
                />
              </td>
              <Box
                component="td"
                className="mono"
                sx={{ color: far ? colours.copperText : "text.secondary", whiteSpace: "nowrap", fontSize: 12.5 }}
              >
                {left ? `${off(left.low)} ${left.centre === null ? "" : `${off(left.centre)} `}${off(left.high)}` : "–"}
              </Box>
              <Box component="td" sx={{ textAlign: "left !important", color: good ? colours.verdigris : colours.copperText, fontSize: 13 }}>
                {report.stick_verdicts[axis]}
                {travel?.expected && left && (
                  <Box component="span" sx={{ display: "block", fontSize: 12, color: "text.secondary" }}>
                    {asExpected(travel.expected, reached, travel.near_us)}
                  </Box>
                )}
              </Box>
            </tr>
          );
        })}
      </tbody>
    </Box>
  );
}

function asExpected(
  expected: { low: number; centre: number | null; high: number },
  reached: { low?: number | null; centre?: number | null; high?: number | null } | undefined,
  near: number,
): string {
  const off = [
    [expected.low, reached?.low],
    [expected.centre, reached?.centre],
    [expected.high, reached?.high],
  ].map(([wanted, seen]) => (wanted == null || seen == null ? 0 : Math.abs(wanted - seen)));
  const worst = Math.max(...off);
  return worst <= near + 2 ? "as predicted" : `${worst.toFixed(0)} us off what was predicted`;
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
