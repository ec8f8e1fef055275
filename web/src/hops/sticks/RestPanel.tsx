import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Craft, Report, SticksReport } from "../../api/types";
import type { HopProps } from "../../craft/CraftPage";
import { colours, mono } from "../../look/colours";
import { NumberField } from "../../look/NumberField";
import { Panel } from "../../look/Panel";
import type { Axis } from "./StickField";

const WATCH_S = 5;

/** Noise at rest, the deadband that follows from it, and the room beyond the stick-low and stick-high lines. */
export function RestPanel({ craft, report, work, edit }: { craft: Craft; report: Report; work: SticksReport; edit: HopProps["edit"] }) {
  const noise = report.sticks.noise ?? {};
  const lines = craft.document.settings.stick_lines ?? { low: 1080, high: 1920 };
  const set = craft.document.settings.deadband ?? { sticks_us: 0, yaw_us: 0 };
  const proposed = work.deadband;
  const same = proposed && proposed.deadband.sticks_us === set.sticks_us && proposed.deadband.yaw_us === set.yaw_us;
  return (
    <Panel
      title="At rest, and at the lines"
      aside={
        proposed && !same ? (
          <Button
            variant="outlined"
            onClick={() =>
              edit((document) => {
                document.settings.deadband = proposed.deadband;
                return document;
              })
            }
          >
            Take {proposed.deadband.sticks_us} us and {proposed.deadband.yaw_us} us for yaw
          </Button>
        ) : null
      }
    >
      <Box
        component="table"
        aria-label="At rest"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          fontSize: 13,
          "& th, & td": { textAlign: "right", py: 0.3, px: 0.5, borderBottom: `1px solid ${colours.hairline}` },
          "& th": { fontWeight: 500, color: "text.secondary" },
          "& td": { fontFamily: mono, fontSize: 12.5 },
        }}
      >
        <thead>
          <tr>
            <th />
            <th>peak to peak</th>
            <th>deviation</th>
            <th>beyond low line</th>
            <th>beyond high line</th>
          </tr>
        </thead>
        <tbody>
          {(["roll", "pitch", "throttle", "yaw"] as Axis[]).map((axis) => {
            const seen = noise[axis];
            const reached = report.sticks.reached?.[axis];
            const low = reached?.low == null ? null : lines.low - reached.low;
            const high = reached?.high == null ? null : reached.high - lines.high;
            return (
              <tr key={axis}>
                <Box component="th" scope="row" sx={{ textAlign: "left !important", color: "text.primary !important" }}>
                  {axis}
                </Box>
                {seen ? (
                  <>
                    <td>{seen.peak_us.toFixed(1)} us</td>
                    <td>{seen.deviation_us.toFixed(2)} us</td>
                  </>
                ) : (
                  <Box component="td" colSpan={2} sx={{ color: "text.secondary" }}>
                    rests {Math.min(WATCH_S, work.resting_s[axis] ?? 0).toFixed(0)} of {WATCH_S} s
                  </Box>
                )}
                <Margin us={low} />
                <Margin us={high} />
              </tr>
            );
          })}
        </tbody>
      </Box>
      <Box sx={{ display: "flex", gap: 0.75, mt: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <NumberField
          label="Deadband"
          value={set.sticks_us}
          unit="us"
          min={0}
          max={60}
          width={92}
          onCommit={(us) =>
            edit((document) => {
              document.settings.deadband = { ...set, sticks_us: Math.round(us) };
              return document;
            })
          }
        />
        <NumberField
          label="Deadband of yaw"
          value={set.yaw_us}
          unit="us"
          min={0}
          max={100}
          width={116}
          onCommit={(us) =>
            edit((document) => {
              document.settings.deadband = { ...set, yaw_us: Math.round(us) };
              return document;
            })
          }
        />
        {(["low", "high"] as const).map((which) => (
          <NumberField
            key={which}
            label={`Stick-${which} line`}
            value={lines[which]}
            unit="us"
            min={which === "low" ? 900 : 1600}
            max={which === "low" ? 1400 : 2100}
            width={102}
            onCommit={(us) =>
              edit((document) => {
                document.settings.stick_lines = { ...lines, [which]: us };
                return document;
              })
            }
          />
        ))}
      </Box>
      <Box sx={{ mt: 0.75, fontSize: 12.5, color: "text.secondary" }}>
        {proposed ? `${proposed.because.join("; ")}.` : `Let go of both sticks for ${WATCH_S} s: the deadband follows from the noise.`}
      </Box>
    </Panel>
  );
}

function Margin({ us }: { us: number | null }) {
  return (
    <Box
      component="td"
      sx={{ color: us === null ? "text.secondary" : us < 0 ? colours.oxide : us < 20 ? colours.copperText : colours.verdigris }}
    >
      {us === null ? "–" : us < 0 ? `${Math.abs(us).toFixed(0)} us short` : `${us.toFixed(0)} us`}
    </Box>
  );
}
