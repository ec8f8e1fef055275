import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Craft, FlashView } from "../../api/types";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { columns } from "../../look/phone";
import { useSettingsChoice } from "./useLoad";

/** What was flashed, and how it ended. */
export function Log({ flashes }: { flashes: FlashView[] }) {
  return (
    <>
      {flashes.length > 0 && (
        <Panel title="What was flashed" aside={`${flashes.length} ${flashes.length === 1 ? "flash" : "flashes"}, the newest first`}>
          <Box component="ul" aria-label="Flash log" sx={{ listStyle: "none", m: 0, p: 0 }}>
            {flashes.map((each) => (
              <Box
                component="li"
                key={each.id}
                sx={{
                  display: "grid",
                  gridTemplateColumns: columns("132px 110px minmax(0, 1fr) 60px"),
                  columnGap: 1.5,
                  py: 0.5,
                  borderBottom: `1px solid ${colours.hairline}`,
                  fontSize: 13,
                }}
              >
                <Box component="span" sx={{ fontFamily: mono, fontSize: 12 }}>
                  {new Date(each.began_at).toLocaleString([], { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" })}
                </Box>
                <span>{each.job.device}</span>
                <span>
                  <Box
                    component="b"
                    sx={{ color: each.job.state === "done" ? colours.verdigris : each.ended_at ? colours.oxide : colours.copperText }}
                  >
                    {each.job.state}
                  </Box>{" "}
                  {each.job.image_said}
                  {each.job.state !== "done" && (
                    <Box component="span" sx={{ color: "text.secondary" }}>
                      : {each.job.says}
                    </Box>
                  )}
                  {each.settings_state !== "none" && (
                    <Box component="span" sx={{ color: "text.secondary" }}>
                      ; settings kept, {each.settings_state}
                    </Box>
                  )}
                </span>
                <span>{each.by}</span>
              </Box>
            ))}
          </Box>
        </Panel>
      )}
    </>
  );
}

/** Settings that were read from the board before a flash, offered back as a difference. */
export function KeptSettings({ craft, flash, edit }: { craft: Craft; flash: FlashView; edit: HopProps["edit"] }) {
  const choice = useSettingsChoice(craft.id);
  const lines = flash.carried?.lines ?? [];
  const back = lines.filter((line) => line.says === "comes back" || line.says === "renamed").length;
  const lost = lines.filter((line) => line.says === "dropped").length;
  return (
    <Panel title="The board's settings were kept before the flash" aside={`${back} to put back, ${lost} that this version no longer has`}>
      <Box component="table" aria-label="Kept settings" sx={{ borderCollapse: "collapse", fontSize: 13, width: "100%" }}>
        <thead>
          <tr>
            {["Setting", "Kept", "On the board now", ""].map((head) => (
              <Box component="th" key={head} sx={{ textAlign: "left", fontWeight: 600, color: "text.secondary", fontSize: 12.5, pr: 2 }}>
                {head}
              </Box>
            ))}
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <Box component="tr" key={line.path} sx={{ borderTop: `1px solid ${colours.hairline}` }}>
              <td>{line.setting}</td>
              <Box component="td" sx={{ fontFamily: mono, fontSize: 12.5 }}>
                {line.kept}
              </Box>
              <Box component="td" sx={{ fontFamily: mono, fontSize: 12.5 }}>
                {line.now}
              </Box>
              <Box component="td" sx={{ color: line.says === "dropped" ? colours.oxide : "text.secondary" }}>
                {line.says === "dropped" ? "this version no longer has it" : line.new_name ? `called “${line.new_name}” now` : line.says}
              </Box>
            </Box>
          ))}
        </tbody>
      </Box>
      <Box sx={{ display: "flex", gap: 1, mt: 1.25, alignItems: "center" }}>
        <Button
          variant="contained"
          onClick={() => {
            const needed = flash.carried?.edits ?? [];
            if (needed.length > 0) edit(needed, craft.version);
            choice.mutate({ id: flash.id, settings: "put back" });
          }}
        >
          Put them back into the draft
        </Button>
        <Button variant="outlined" onClick={() => choice.mutate({ id: flash.id, settings: "skipped" })}>
          Leave them out
        </Button>
        <Box component="span" sx={{ fontSize: 12.5, color: "text.secondary" }}>
          Then write the draft to the board. The kept settings stay in the history either way.
        </Box>
      </Box>
    </Panel>
  );
}
