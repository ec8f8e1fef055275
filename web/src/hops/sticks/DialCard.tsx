import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { memo } from "react";
import { useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";

const DIALS = [
  { field: "sub_trim_us", words: "sub-trim", unit: "us" },
  { field: "travel_low_percent", words: "low travel", unit: "%" },
  { field: "travel_high_percent", words: "high travel", unit: "%" },
] as const;

const figure = (value: number, unit: string) => `${unit === "us" && value > 0 ? "+" : ""}${Number(value.toFixed(1))}`;

/** What to dial on the transmitter: a card to read off, and one button for the stand-in. */
export const DialCard = memo(function DialCard({
  transmitter,
  version,
  edit,
}: {
  transmitter: string;
  version: number;
  edit: HopProps["edit"];
}) {
  const travel = useBenchStore((state) => state.report?.told.sticks?.travel) ?? [];
  const current = useBenchStore((state) => state.report?.draft_version === version);
  const edits = travel.flatMap((each) => each.plan?.edits ?? []);
  const waits = travel.filter((each) => !each.plan);
  return (
    <Panel
      title={`To dial in on the ${transmitter}`}
      aside={
        edits.length > 0 ? (
          <Button variant="contained" disabled={!current} onClick={() => edit(edits, version)}>
            Dial it in
          </Button>
        ) : null
      }
    >
      <Box
        component="table"
        aria-label="To dial in"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          fontSize: 13,
          "& th, & td": { textAlign: "left", py: 0.35, pr: 0.75, borderBottom: `1px solid ${colours.hairline}`, verticalAlign: "baseline" },
          "& thead th": { fontWeight: 500, color: "text.secondary" },
        }}
      >
        <thead>
          <tr>
            <th>channel</th>
            {DIALS.map(({ field, words, unit }) => (
              <th key={field}>
                {words}, {unit}
              </th>
            ))}
            <th>comes to, ±{travel[0]?.near_us} us</th>
          </tr>
        </thead>
        <tbody>
          {travel.map(({ axis, channel, plan, wait }) => (
            <tr key={axis}>
              <th scope="row" style={{ whiteSpace: "nowrap" }}>
                CH{channel} <span style={{ fontWeight: 400 }}>{axis}</span>
              </th>
              {plan ? (
                <>
                  {DIALS.map(({ field, unit }) => (
                    <Dial key={field} now={plan.now[field]} to={plan.dial[field]} unit={unit} />
                  ))}
                  <td style={{ color: colours.softInk }}>
                    {[plan.predicted.low, plan.predicted.centre, plan.predicted.high]
                      .filter((us) => us !== null)
                      .map((us) => us.toFixed(0))
                      .join(" ")}
                    {plan.unreachable.map((text) => (
                      <div key={text} style={{ color: colours.oxide, fontSize: 12.5 }}>
                        {text}; the best that can be
                      </div>
                    ))}
                  </td>
                </>
              ) : (
                <td colSpan={4} style={{ color: colours.softInk }}>
                  {wait}
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </Box>
      <Box sx={{ mt: 0.75, fontSize: 13 }}>
        {waits.length === 0 && edits.length === 0 && (
          <Box sx={{ color: "text.secondary" }}>Every channel runs from end to end; nothing is left to dial.</Box>
        )}
      </Box>
    </Panel>
  );
});

/** One dial of the transmitter: where it stands, and where to turn it. */
function Dial({ now, to, unit }: { now: number; to: number; unit: string }) {
  if (to === now) return <td style={{ fontFamily: mono, fontSize: 12.5, color: colours.softInk }}>{figure(now, unit)}</td>;
  return (
    <td style={{ fontFamily: mono, fontSize: 12.5, whiteSpace: "nowrap" }}>
      {figure(now, unit)} → <b style={{ color: colours.copperText }}>{figure(to, unit)}</b>
    </td>
  );
}
