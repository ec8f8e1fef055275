import Box from "@mui/material/Box";
import { memo } from "react";
import type { TruthTableView } from "../../api/types";
import { colours } from "../../look/colours";

const AHEAD = 4;

type Row = TruthTableView["rows"][number];

/** What is dangerous comes first: the rows in which the craft is armed. */
function groupsOf(rows: Row[]): { title: string; rows: Row[] }[] {
  const armed = rows.filter((row) => row.arm);
  if (armed.length === 0 || armed.length === rows.length) return [{ title: "", rows }];
  return [
    { title: "Armed", rows: armed },
    { title: "Not armed", rows: rows.filter((row) => !row.arm) },
  ];
}

function Rows({ title, rows, switches }: { title: string; rows: Row[]; switches: string[] }) {
  return (
    <Box
      component="table"
      aria-label={title || undefined}
      sx={{
        borderCollapse: "collapse",
        width: "100%",
        tableLayout: "fixed",
        alignSelf: "start",
        fontSize: 13,
        "& th, & td": {
          textAlign: "left",
          py: 0.35,
          px: 0.6,
          borderBottom: `1px solid ${colours.hairline}`,
          verticalAlign: "baseline",
        },
        "& th": { fontWeight: 500, color: "text.secondary" },
      }}
    >
      <colgroup>
        {switches.map((name) => (
          <col key={name} style={{ width: 46 }} />
        ))}
        <col style={{ width: 44 }} />
        <col />
        <col style={{ width: 56 }} />
      </colgroup>
      <thead>
        <tr>
          {switches.map((name) => (
            <th key={name}>{name}</th>
          ))}
          <th>arm</th>
          <th>mode</th>
          <th>board</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <Box component="tr" key={row.places.join(" ")} sx={row.surprise ? { bgcolor: colours.copperWash } : undefined}>
            {row.places.map((place, index) => (
              <td key={switches[index]}>{place}</td>
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
  );
}

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
      <Box
        role="region"
        aria-label="Truth table"
        sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fit, minmax(290px, 1fr))", columnGap: 3, rowGap: 1 }}
      >
        {groupsOf(table.rows).map(({ title, rows }) => (
          <Rows key={title} title={title} rows={rows} switches={table.switches} />
        ))}
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
