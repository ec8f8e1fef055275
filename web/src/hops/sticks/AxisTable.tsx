import Box from "@mui/material/Box";
import { memo } from "react";
import { useBenchStore } from "../../bench/useBench";
import { useStill, useWritten } from "../../bench/useDrawn";
import { colours, mono } from "../../look/colours";
import { WideTable } from "../../look/WidePicture";
import { AXES, type Axis, channelOf, NOISE_US } from "./axes";
import { Rail } from "./Rail";

/** Each axis in numbers, on its rail, with what is left to mend. */
export const AxisTable = memo(function AxisTable({ map, lowLine, highLine }: { map: string; lowLine: number; highLine: number }) {
  return (
    <WideTable name="Axes" least={820}>
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
            <th style={{ whiteSpace: "nowrap" }}>
              still to mend
              <Box component="span" sx={{ display: "block", fontSize: 11.5, whiteSpace: "nowrap" }}>
                low, centre, high
              </Box>
            </th>
            <Box component="th" sx={{ textAlign: "left !important" }}>
              verdict
            </Box>
          </tr>
        </thead>
        <tbody>
          {AXES.map(({ axis }) => (
            <AxisRow key={axis} axis={axis} channel={channelOf(axis, map)} lowLine={lowLine} highLine={highLine} />
          ))}
        </tbody>
      </Box>
    </WideTable>
  );
});

const number = (value: number | null | undefined) => (value == null ? "–" : value.toFixed(0));
const off = (value: number | null | undefined) =>
  value == null ? "–" : Math.abs(value) < 0.5 ? "0" : `${value > 0 ? "+" : "−"}${Math.abs(value).toFixed(0)}`;

function AxisRow({ axis, channel, lowLine, highLine }: { axis: Axis; channel: number; lowLine: number; highLine: number }) {
  const reached = useBenchStore((state) => state.report?.told.sticks?.measured.reached[axis]);
  const good = useBenchStore((state) => state.report?.told.sticks?.proven[axis] ?? false);
  const verdict = useBenchStore((state) => state.report?.told.sticks?.verdicts[axis]);
  const travel = useBenchStore((state) => state.report?.told.sticks?.travel.find((each) => each.axis === axis));
  const left = travel?.left;
  return (
    <tr key={axis}>
      <Box component="td" sx={{ textAlign: "left !important", whiteSpace: "nowrap" }}>
        <b>{axis}</b>{" "}
        <Box component="span" sx={{ color: "text.secondary", fontSize: 12 }}>
          CH{channel}
        </Box>
      </Box>
      <Now axis={axis} />
      <td className="mono">{number(reached?.low)}</td>
      <td className="mono">{axis === "throttle" ? "" : number(reached?.centre)}</td>
      <td className="mono">{number(reached?.high)}</td>
      <td>
        <Rail
          axis={axis}
          low={reached?.low}
          centre={reached?.centre}
          high={reached?.high}
          lowLine={lowLine}
          highLine={highLine}
          expected={travel?.expected ?? null}
        />
      </td>
      <Box
        component="td"
        className="mono"
        sx={{ color: travel?.far ? colours.copperText : "text.secondary", whiteSpace: "nowrap", fontSize: 12.5 }}
      >
        {left ? `${off(left.low)} ${left.centre === null ? "" : `${off(left.centre)} `}${off(left.high)}` : "–"}
      </Box>
      <Box component="td" sx={{ textAlign: "left !important", color: good ? colours.verdigris : colours.copperText, fontSize: 13 }}>
        {verdict}
        {travel?.beside_predicted && (
          <Box component="span" sx={{ display: "block", fontSize: 12, color: "text.secondary" }}>
            {travel.beside_predicted}
          </Box>
        )}
      </Box>
    </tr>
  );
}

/** Where an axis is now, us. */
function Now({ axis }: { axis: Axis }) {
  const still = useStill(NOISE_US);
  const figure = useWritten<HTMLSpanElement>(({ live }) => still(live?.board.axes[axis])?.toFixed(0) ?? "–");
  return (
    <td className="mono" style={{ color: colours.copperText }}>
      <span ref={figure} style={{ display: "inline-block", contain: "strict", width: "4.2ch", height: "1.5em", verticalAlign: "bottom" }} />
    </td>
  );
}
