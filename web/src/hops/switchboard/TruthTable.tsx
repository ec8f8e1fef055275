import Box from "@mui/material/Box";
import type { Report } from "../../api/types";
import { useBenchStore } from "../../bench/useBench";
import { colours } from "../../look/colours";

/** Every combination, what it should hold, and whether the board was seen to hold it. */
export function TruthTable({ table }: { table: Report["table"] }) {
  const armed = useBenchStore((state) => state.live?.board.armed);
  const blockers = useBenchStore((state) => state.live?.board.blockers ?? []);
  const seen = table.rows.filter((row) => row.seen).length;
  const waiting = table.rows.some((row) => row.arm && !row.seen);
  return (
    <div>
      <Box component="h3" sx={{ m: 0, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
        All combinations, {seen} of {table.rows.length} seen
      </Box>
      <Box sx={{ maxHeight: 250, overflow: "auto" }} tabIndex={0} role="region" aria-label="Truth table">
        <Box
          component="table"
          sx={{
            borderCollapse: "collapse",
            width: "100%",
            fontSize: 13,
            "& th, & td": { textAlign: "left", py: 0.4, px: 0.75, borderBottom: `1px solid ${colours.hairline}` },
            "& th": { fontWeight: 500, color: "text.secondary" },
          }}
        >
          <thead>
            <tr>
              {table.switches.map((name) => (
                <th key={name}>{name}</th>
              ))}
              <th>arm</th>
              <th>holds</th>
              <th>board</th>
            </tr>
          </thead>
          <tbody>
            {table.rows.map((row) => (
              <tr key={row.places.join(" ")}>
                {row.places.map((place, index) => (
                  <td key={table.switches[index]}>{place}</td>
                ))}
                <td>{row.arm ? <b>arm</b> : "–"}</td>
                <td>{row.mode === "?" ? "not measured yet" : row.mode === "acro" ? "acro, as no band holds" : row.mode}</td>
                <Box component="td" sx={{ color: row.seen ? colours.verdigris : colours.tarnishText, fontWeight: row.seen ? 600 : 400 }}>
                  {row.seen ? "seen" : "open"}
                </Box>
              </tr>
            ))}
          </tbody>
        </Box>
      </Box>
      {waiting && !armed && blockers.length > 0 && (
        <Box sx={{ mt: 1, fontSize: 13, color: colours.copperText }}>Arming is blocked by: {blockers.join("; ")}.</Box>
      )}
    </div>
  );
}
