import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { memo } from "react";
import { useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/CraftPage";
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
  const travel = useBenchStore((state) => state.report?.stick_work.travel) ?? [];
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
      <Box sx={{ display: "grid", gap: 0.75, fontSize: 13.5 }}>
        {travel.map(({ axis, channel, plan, wait, near_us }) => {
          if (!plan)
            return (
              <Box key={axis} sx={{ color: "text.secondary" }}>
                <b>CH{channel}</b> {axis}: {wait}
              </Box>
            );
          const changes = DIALS.filter(({ field }) => plan.dial[field] !== plan.now[field]);
          const { low, centre, high } = plan.predicted;
          return (
            <Box key={axis}>
              <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "baseline" }}>
                <b>CH{channel}</b> {axis}:
                {changes.length === 0 && (
                  <Box component="span" sx={{ color: colours.verdigris }}>
                    leave it
                  </Box>
                )}
                {changes.map(({ field, words, unit }) => (
                  <Box key={field} component="span" sx={{ fontFamily: mono, fontSize: 13 }}>
                    {words} {figure(plan.now[field], unit)} → <b>{figure(plan.dial[field], unit)}</b> {unit}
                  </Box>
                ))}
              </Box>
              {changes.length > 0 && (
                <Box sx={{ fontSize: 12.5, color: "text.secondary" }}>
                  then{" "}
                  {[low, centre, high]
                    .filter((us) => us !== null)
                    .map((us) => (us as number).toFixed(0))
                    .join(", ")}{" "}
                  us, within {near_us}
                </Box>
              )}
              {plan.unreachable.map((text) => (
                <Box key={text} sx={{ fontSize: 12.5, color: colours.oxide }}>
                  {text}; the best that can be
                </Box>
              ))}
            </Box>
          );
        })}
        {waits.length === 0 && edits.length === 0 && (
          <Box sx={{ color: "text.secondary" }}>Every channel runs from end to end; nothing is left to dial.</Box>
        )}
      </Box>
    </Panel>
  );
});
