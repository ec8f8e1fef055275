import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Craft, PlanView } from "../../api/types";
import { useBenchStore, useSteady } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";
import type { Chosen } from "./PatchPicture";

/** The plan to read: port by port, what it does, what is soldered to it, and what the board holds. */
export function PlanTable({ craft, pads, onChoose }: { craft: Craft; pads: PlanView["pads"]; onChoose: (chosen: Chosen) => void }) {
  const onBoard = useSteady((state) => state.report?.on_board?.ports ?? null);
  const due = useBenchStore((state) => state.report?.restart_due ?? false);
  const jobs = craft.document.settings.ports;
  const ports = Object.keys(jobs).filter((port) => pads.some((pad) => pad.port === port) || jobs[port] !== "free");
  const inputs = pads.filter((pad) => !pad.port && pad.soldered.length > 0 && pad.abilities.some((each) => each.startsWith("measures")));
  return (
    <Box
      component="table"
      aria-label="Port plan"
      sx={{
        width: "100%",
        borderCollapse: "collapse",
        fontSize: 13,
        bgcolor: "background.paper",
        border: 1,
        borderColor: "divider",
        "& th": { textAlign: "left", fontWeight: 500, color: colours.softInk, px: 1.25, py: 0.5 },
        "& td": { px: 1.25, py: 0.4, borderTop: `1px solid ${colours.hairline}` },
      }}
    >
      <thead>
        <tr>
          <th>port</th>
          <th>job</th>
          <th>pads</th>
          <th>soldered to it</th>
          <th>board holds</th>
        </tr>
      </thead>
      <tbody>
        {ports.map((port) => {
          const own = pads.filter((pad) => pad.port === port);
          const job = jobs[port] ?? "free";
          const held = onBoard?.[port];
          const soldered = own.flatMap((pad) => pad.soldered);
          return (
            <tr key={port}>
              <td>
                <Button
                  variant="text"
                  sx={{ minWidth: 0, p: 0, fontFamily: mono, color: colours.ink }}
                  aria-label={`Look at ${port}`}
                  onClick={() => own[0] && onChoose({ kind: "pad", pad: own[0].pad })}
                >
                  {port}
                </Button>
              </td>
              <td style={{ fontWeight: job === "free" ? 400 : 600, color: job === "free" ? colours.softInk : colours.ink }}>{job}</td>
              <Box component="td" sx={{ fontFamily: mono }}>
                {own.map((pad) => pad.pad).join(" ") || "none"}
              </Box>
              <td>{soldered.join(", ")}</td>
              <td style={{ color: held !== undefined && held !== job ? colours.copperText : colours.softInk }}>
                {held === undefined ? "–" : held === job ? (due ? "written, waits for the restart" : "the same") : held}
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
            <td />
            <td>{pad.soldered.join(", ")}</td>
            <td />
          </tr>
        ))}
      </tbody>
    </Box>
  );
}
