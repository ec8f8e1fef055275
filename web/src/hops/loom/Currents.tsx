import Box from "@mui/material/Box";
import type { LoomView } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { WideTable } from "../../look/WidePicture";

/** What every rail carries, beside the line it is judged by: on the pack, and on USB alone. */
export function Currents({ rails, usb }: Pick<LoomView, "rails" | "usb">) {
  const used = rails.filter((rail) => rail.devices.length > 0);
  return (
    <Panel title="Currents" aside="peak, against what can be given">
      <WideTable name="Currents" least={620}>
        <Box
          component="table"
          aria-label="Currents"
          sx={{
            width: "100%",
            fontSize: 13,
            borderCollapse: "collapse",
            "& th": { textAlign: "left", fontWeight: 500, color: colours.softInk },
            "& td, & th": { py: 0.4, pr: 1.5 },
          }}
        >
          <thead>
            <tr>
              <th>rail</th>
              <th>on the pack</th>
              <th>on USB alone</th>
              <th>feeds</th>
            </tr>
          </thead>
          <tbody>
            {used.map((rail) => (
              <tr key={rail.rail}>
                <td>
                  <b>{rail.rail}</b>, {rail.volts} V{rail.source === "pack" && " full"}
                </td>
                <td>
                  {rail.source === "outside" && rail.fed_by.length === 0 ? (
                    `${rail.peak_ma} mA, and nothing feeds it`
                  ) : (
                    <>
                      <Gauge ma={rail.peak_ma} limit={rail.limit_ma} over={rail.peak_ma > rail.limit_ma} />
                      {rail.source === "outside" && (
                        <Box component="span" sx={{ fontSize: 12, color: "text.secondary" }}>
                          where all stall; {rail.ma} mA as they move, {rail.idle_ma} at rest; by {rail.fed_by.join(", ")}
                        </Box>
                      )}
                    </>
                  )}
                </td>
                <td>
                  {rail.usb_limit_ma === null ? "dark" : <Gauge ma={rail.peak_ma} limit={rail.usb_limit_ma} over={rail.over_on_usb} />}
                </td>
                <td style={{ color: colours.softInk }}>{rail.devices.join(", ")}</td>
              </tr>
            ))}
            <tr>
              <td>
                <b>USB socket</b>
              </td>
              <td>–</td>
              <td>
                <Gauge ma={usb.peak_ma} limit={usb.limit_ma} over={usb.over} />
              </td>
              <td style={{ color: colours.softInk }}>the board and every rail that wakes on USB</td>
            </tr>
          </tbody>
        </Box>
      </WideTable>
    </Panel>
  );
}

function Gauge({ ma, limit, over }: { ma: number; limit: number; over: boolean }) {
  const full = Math.max(ma, limit, 1) * 1.1;
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
      <svg width={90} height={14} aria-hidden="true">
        <line x1={0} x2={90} y1={7} y2={7} stroke={colours.hairline} strokeWidth={2} />
        <line x1={0} x2={(ma / full) * 90} y1={7} y2={7} stroke={over ? colours.oxide : colours.verdigris} strokeWidth={5} />
        <line x1={(limit / full) * 90} x2={(limit / full) * 90} y1={1} y2={13} stroke={colours.ink} strokeWidth={1.5} />
      </svg>
      <Box component="span" sx={{ fontFamily: mono, fontSize: 12, color: over ? colours.oxide : colours.ink, whiteSpace: "nowrap" }}>
        {ma} / {limit} mA
      </Box>
    </Box>
  );
}
