import Box from "@mui/material/Box";
import { memo } from "react";
import type { TruthTableView } from "../../api/types";
import { colours } from "../../look/colours";

const AHEAD = 4;

/** Every combination, what it should hold, whether the board was seen to hold it, and which to flip to next. */
export const TruthTable = memo(function TruthTable({ table }: { table: TruthTableView }) {
  const seen = table.rows.filter((row) => row.seen).length;
  const measured = table.rows.some((row) => row.mode !== "?");
  const next = table.next_rows.slice(0, AHEAD).flatMap((index) => table.rows[index] ?? []);
  const called = (places: string[]) => places.map((place, index) => `${table.switches[index]} ${place}`).join(", ");
  if (table.too_many)
    return (
      <Box sx={{ color: colours.copperText }}>
        {table.too_many} switches are in use. A truth table is walked with six at most: put modes that belong together on one switch.
      </Box>
    );
  return (
    <div>
      <Box component="h3" sx={{ m: 0, fontSize: 12.5, color: "text.secondary", fontWeight: 600, display: "flex" }}>
        All combinations, {seen} of {table.rows.length} seen
        {measured && seen < table.rows.length && (
          <Box component="span" sx={{ ml: "auto", fontWeight: 400 }}>
            fewest flips left: {table.flips_left}
          </Box>
        )}
      </Box>
      <Box sx={{ maxHeight: 268, overflow: "auto" }} tabIndex={0} role="region" aria-label="Truth table">
        <Box
          component="table"
          sx={{
            borderCollapse: "collapse",
            width: "100%",
            fontSize: 13,
            "& th, & td": {
              textAlign: "left",
              py: 0.35,
              px: 0.6,
              borderBottom: `1px solid ${colours.hairline}`,
              verticalAlign: "baseline",
            },
            "& th": { fontWeight: 500, color: "text.secondary", position: "sticky", top: 0, bgcolor: colours.paper },
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
              <Box component="tr" key={row.places.join(" ")} sx={row.surprise ? { bgcolor: colours.copperWash } : undefined}>
                {row.places.map((place, index) => (
                  <td key={table.switches[index]}>{place}</td>
                ))}
                <td>{row.arm ? <b>arm</b> : "–"}</td>
                <td>
                  {row.mode === "?" ? "not measured yet" : row.mode}
                  {row.surprise && (
                    <Box component="span" sx={{ display: "block", fontSize: 11.5, color: colours.copperText, lineHeight: 1.25 }}>
                      {row.surprise}
                    </Box>
                  )}
                </td>
                <Box component="td" sx={{ color: row.seen ? colours.verdigris : colours.tarnishText, fontWeight: row.seen ? 600 : 400 }}>
                  {row.seen ? "seen" : "open"}
                </Box>
              </Box>
            ))}
          </tbody>
        </Box>
      </Box>
      {next.length > 0 && (
        <Box sx={{ mt: 0.75, fontSize: 12.5, color: "text.secondary" }}>
          <b>Flip next:</b> {next.map((row) => called(row.places)).join("; then ")}
          {table.next_rows.length > AHEAD ? " …" : ""}
        </Box>
      )}
    </div>
  );
});
