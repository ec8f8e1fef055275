import Box from "@mui/material/Box";
import { colours } from "./colours";

/** A line between two ends: drawn through in `ink` where a signal passes, dotted and broken where none does. */
export function SignalLine({ flows, ink }: { flows: boolean; ink: string }) {
  const half = { flex: 1, borderTop: flows ? `2px solid ${ink}` : `2px dotted ${colours.tarnish}` };
  return (
    <Box aria-hidden="true" sx={{ display: "flex", alignItems: "center" }}>
      <Box sx={half} />
      {!flows && (
        <Box sx={{ width: 6, height: 16, borderLeft: `2px solid ${ink}`, borderRight: `2px solid ${ink}`, transform: "skewX(-20deg)" }} />
      )}
      <Box sx={half} />
    </Box>
  );
}
