import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import { Fragment } from "react";
import type { DownlinkTold, Mend } from "../../api/types";
import { sendHands } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";
import { WideTable } from "../../look/WidePicture";

type Sensor = DownlinkTold["sensors"][number];
const EVERY_ONE = "";

/** Every sensor that this way can carry: what it says, who knows it, its age beside what was reckoned, and why it does not come. */
export function SensorTable({
  told,
  checks,
  onTell,
  mend,
}: {
  told: DownlinkTold;
  /** Whether this member may put a hand to the bench. */
  checks: boolean;
  onTell: (sensor: Sensor) => void;
  mend: (mend: Mend) => React.ReactNode;
}) {
  const rows = told.sensors.filter((row) => row.carried);
  const without = told.sensors.filter((row) => !row.carried && row.told_by.length > 0);
  const longest = Math.max(1, ...rows.map((row) => 1.6 * (row.reckoned_s ?? 0)));
  return (
    <Box component="section" aria-label="Sensors" sx={{ minWidth: 0 }}>
      <WideTable name="Sensors" least={640}>
        <Box
          component="table"
          aria-label="Sensors, those first that can kill"
          sx={{
            width: "100%",
            borderCollapse: "collapse",
            fontSize: 13.5,
            "& th": { textAlign: "left", fontWeight: 500, fontSize: 12.5, color: "text.secondary", py: 0.5 },
            "& td": { borderTop: 1, borderColor: "divider", py: 0.35, verticalAlign: "middle" },
            "& td, & th": { pr: 1.5 },
          }}
        >
          <thead>
            <tr>
              <th scope="col">told</th>
              <th scope="col">sensor</th>
              <Box component="th" scope="col" sx={{ textAlign: "right !important" }}>
                now
              </Box>
              <th scope="col">age, 0 to {longest.toFixed(longest < 3 ? 1 : 0)} s; ▲ should come</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <Fragment key={row.sensor}>
                <tr>
                  <td>
                    <Checkbox
                      size="small"
                      sx={{ p: 0.25 }}
                      checked={!row.off}
                      disabled={row.told_by.length === 0 || !row.by_board}
                      onChange={() => onTell(row)}
                      slotProps={{ input: { "aria-label": `Tell ${row.sensor}` } }}
                    />
                  </td>
                  <Box
                    component="th"
                    scope="row"
                    sx={{
                      color: `${colours.ink} !important`,
                      fontWeight: "600 !important",
                      fontSize: "13.5px !important",
                      borderTop: 1,
                      borderColor: "divider",
                      whiteSpace: "nowrap",
                    }}
                  >
                    {row.sensor}{" "}
                    <Box component="span" sx={{ fontWeight: 400, fontSize: 12.5, color: "text.secondary" }}>
                      {row.told_by.join(", ") || "nobody"}
                    </Box>
                  </Box>
                  <Box
                    component="td"
                    sx={{
                      fontFamily: mono,
                      textAlign: "right",
                      whiteSpace: "nowrap",
                      color: row.age_s === null || row.cause ? colours.softInk : colours.ink,
                    }}
                  >
                    {row.says || "–"} {row.says && row.unit}
                  </Box>
                  <td>
                    <Age row={row} longest={longest} />
                  </td>
                </tr>
                {(row.cause || row.clash.length > 0) && (
                  <tr>
                    <td style={{ border: 0, padding: 0 }} />
                    <td colSpan={3} style={{ border: 0, paddingTop: 0 }}>
                      {row.clash.length > 0 && <Box sx={{ color: colours.oxide, fontSize: 13 }}>told by {row.clash.join(" and ")}</Box>}
                      {row.cause && (
                        <Box
                          sx={{
                            display: "flex",
                            alignItems: "center",
                            gap: 1,
                            flexWrap: "wrap",
                            fontSize: 13,
                            color: row.expected ? colours.copperText : "text.secondary",
                          }}
                        >
                          <span>{row.cause.says}</span>
                          {row.expected && row.cause.mends?.[0] && mend(row.cause.mends[0])}
                          {row.key && <TakeOut row={row} checks={checks} />}
                        </Box>
                      )}
                    </td>
                  </tr>
                )}
              </Fragment>
            ))}
          </tbody>
        </Box>
      </WideTable>
      {told.sensors.some((row) => row.key) && (
        <Box sx={{ mt: 0.75, fontSize: 13, color: "text.secondary" }}>
          The transmitter keeps this list.{" "}
          <Button variant="outlined" disabled={!checks} onClick={() => sendHands({ forget_sensor: EVERY_ONE, looking: true })}>
            Empty it and look again
          </Button>
        </Box>
      )}
      {without.length > 0 && (
        <Box sx={{ fontSize: 13, color: "text.secondary", mt: 0.75 }}>
          The craft knows more than {told.protocol} carries: {without.map((row) => row.sensor).join(", ")}.
        </Box>
      )}
      {told.strangers.length > 0 && (
        <Box component="ul" aria-label="No longer brought" sx={{ listStyle: "none", m: 0, mt: 1, p: 0, fontSize: 13 }}>
          {told.strangers.map((row) => (
            <Box component="li" key={row.key} sx={{ display: "flex", gap: 1, alignItems: "center" }}>
              <span>
                <b>{row.sensor}</b> is in the list still, from before; nothing brings it any more.
              </span>
              <TakeOut row={row} checks={checks} />
            </Box>
          ))}
        </Box>
      )}
    </Box>
  );
}

/** While sensors are looked for it comes back with its next value. */
function TakeOut({ row, checks }: { row: Sensor; checks: boolean }) {
  return (
    <Button
      variant="text"
      sx={{ py: 0, minHeight: 0 }}
      aria-label={`Take ${row.sensor} out of the list`}
      disabled={!checks}
      onClick={() => sendHands({ forget_sensor: row.key })}
    >
      Take it out
    </Button>
  );
}

/** How old a value is, beside how often it should come. */
function Age({ row, longest }: { row: Sensor; longest: number }) {
  const age = row.age_s;
  const late = age !== null && row.reckoned_s !== null && age > 2 * row.reckoned_s;
  const at = (s: number) => `${Math.min(100, (100 * s) / longest)}%`;
  const said =
    age === null
      ? row.reckoned_s === null
        ? "it does not come"
        : `has not come; it should every ${row.reckoned_s} s`
      : `${age} s old${row.every_s === null ? "" : `, comes every ${row.every_s} s`}${row.reckoned_s === null ? "" : `, reckoned ${row.reckoned_s} s`}`;
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "minmax(70px, 1fr) 80px", gap: 1, alignItems: "center" }}>
      <Box role="img" aria-label={said} sx={{ position: "relative", height: 15 }}>
        <Box sx={{ position: "absolute", top: 3, left: 0, right: 0, height: 4, borderRadius: 2, bgcolor: colours.hairline }} />
        {age !== null && (
          <Box
            sx={{
              position: "absolute",
              top: 3,
              left: 0,
              width: at(age),
              height: 4,
              borderRadius: 2,
              bgcolor: late ? colours.oxide : colours.verdigris,
            }}
          />
        )}
        {row.reckoned_s !== null && (
          <Box
            sx={{
              position: "absolute",
              top: 8,
              left: at(row.reckoned_s),
              width: 0,
              height: 0,
              ml: "-4px",
              borderLeft: "4px solid transparent",
              borderRight: "4px solid transparent",
              borderBottom: `6px solid ${colours.slate}`,
            }}
          />
        )}
      </Box>
      <Box
        component="span"
        aria-hidden="true"
        sx={{ fontFamily: mono, fontSize: 12, color: late ? colours.oxide : "text.secondary", whiteSpace: "nowrap" }}
      >
        {row.every_s !== null ? `every ${row.every_s.toFixed(1)} s` : row.reckoned_s !== null ? "not yet" : ""}
      </Box>
    </Box>
  );
}
