import Box from "@mui/material/Box";
import type { Offer } from "../../api/types";
import { colours, mono } from "../../look/colours";

/** A plan as a difference: wires moved, soldered, taken off; jobs that change. */
export function WireDifference({ offer }: { offer: Offer }) {
  const { wires, jobs, reading } = offer;
  if (wires.length === 0 && jobs.length === 0 && !reading) return <Box sx={{ fontSize: 13 }}>Nothing changes.</Box>;
  return (
    <Box
      component="ul"
      aria-label="Differences"
      sx={{ m: 0, pl: 0, listStyle: "none", fontSize: 12.5, fontFamily: mono, display: "grid", gap: "2px" }}
    >
      {wires.map((wire) => (
        <Box
          component="li"
          key={wire.device + wire.pin}
          sx={{ color: !wire.after ? colours.oxide : wire.before ? colours.copperText : colours.verdigris }}
        >
          {wire.before && wire.after ? "move  " : wire.after ? "solder " : "off   "}
          {wire.device} {wire.pin}: {wire.before ? `${wire.before}${wire.after ? " → " : ""}` : ""}
          {wire.after ?? " comes off"}
        </Box>
      ))}
      {jobs.map((job) => (
        <Box component="li" key={job.port} sx={{ color: colours.slate }}>
          job {job.port}: {job.before} → {job.after}
        </Box>
      ))}
      {reading && (
        <Box component="li" sx={{ color: colours.slate }}>
          {reading}
        </Box>
      )}
    </Box>
  );
}
