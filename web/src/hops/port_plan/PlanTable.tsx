import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Craft, PlanView } from "../../api/types";
import { useBenchStore, useSteady } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import type { Chosen } from "./PatchPicture";

/** The plan to read: port by port, what it does, what is soldered to it, and whether the board knows. */
export function PlanTable({ craft, pads, onChoose }: { craft: Craft; pads: PlanView["pads"]; onChoose: (chosen: Chosen) => void }) {
  const onBoard = useSteady((state) => state.report?.on_board?.ports ?? null);
  const due = useBenchStore((state) => state.report?.restart_due ?? false);
  const jobs = craft.document.settings.ports;
  const ports = Object.keys(jobs).filter((port) => pads.some((pad) => pad.port === port) || jobs[port] !== "free");
  const inputs = pads.filter((pad) => !pad.port && pad.soldered.length > 0 && pad.abilities.some((each) => each.startsWith("measures")));
  return (
    <Panel title="Port by port">
      <Box
        component="table"
        aria-label="Port plan"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          fontSize: 12.5,
          "& th": { textAlign: "left", fontWeight: 500, color: colours.softInk, pr: 1, pb: 0.25 },
          "& td": { pr: 1, py: 0.3, borderTop: `1px solid ${colours.hairline}`, verticalAlign: "baseline" },
        }}
      >
        <thead>
          <tr>
            <th>port</th>
            <th>job</th>
            <th>soldered to it</th>
          </tr>
        </thead>
        <tbody>
          {ports.map((port) => {
            const own = pads.filter((pad) => pad.port === port);
            const job = jobs[port] ?? "free";
            const held = onBoard?.[port];
            const says = held === undefined ? "" : held !== job ? `board has ${held}` : due ? "waits for the restart" : "";
            return (
              <tr key={port}>
                <td>
                  <Button
                    variant="text"
                    sx={{ minWidth: 0, p: 0, fontFamily: mono, fontSize: 12.5, color: colours.ink }}
                    aria-label={`Look at ${port}`}
                    disabled={own.length === 0}
                    onClick={() => own[0] && onChoose({ kind: "pad", pad: own[0].pad })}
                  >
                    {port}
                  </Button>
                </td>
                <td style={{ fontWeight: job === "free" ? 400 : 600, color: job === "free" ? colours.softInk : colours.ink }}>
                  {job}
                  {says && <Box sx={{ fontWeight: 400, color: colours.copperText }}>{says}</Box>}
                </td>
                <td>
                  {own.map((pad) => (
                    <Box
                      key={pad.pad}
                      sx={{ color: pad.soldered.length > 1 ? colours.oxide : pad.soldered.length ? colours.ink : colours.softInk }}
                    >
                      <span style={{ fontFamily: mono }}>{pad.pad}</span> {pad.soldered.join(", ") || "–"}
                    </Box>
                  ))}
                  {own.length === 0 && <Box sx={{ color: colours.oxide }}>the board has no such port</Box>}
                </td>
              </tr>
            );
          })}
          {inputs.map((pad) => (
            <tr key={pad.pad}>
              <Box component="td" sx={{ fontFamily: mono }}>
                {pad.pad}
              </Box>
              <td>pulse input</td>
              <td>{pad.soldered.join(", ")}</td>
            </tr>
          ))}
        </tbody>
      </Box>
    </Panel>
  );
}
