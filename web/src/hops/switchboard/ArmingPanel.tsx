import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { Link } from "react-router";
import type { Craft } from "../../api/types";
import { useSteady } from "../../bench/useBench";
import { hopPath, hopTitle } from "../../chain/hops";
import type { HopProps } from "../../craft/hopProps";
import { colours } from "../../look/colours";
import { NumberField } from "../../look/NumberField";
import { Panel } from "../../look/Panel";

/** How the board arms, and what keeps it from arming now. */
export function ArmingPanel({ craft, edit }: { craft: Craft; edit: HopProps["edit"] }) {
  const armed = useSteady((state) => state.live?.board.armed ?? false);
  const blockers = useSteady((state) => state.live?.board.blockers ?? []);
  const { settings } = craft.document;
  const by = settings.arm_by;
  const rule = settings.stick_arming;
  return (
    <Panel title="Arming" aside={armed ? "armed now" : blockers.length > 0 ? "blocked now" : "would arm at the next flip"}>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        <TextField
          select
          label="Arm by"
          value={by}
          onChange={(event) =>
            edit((document) => {
              document.settings.arm_by = event.target.value as "switch" | "stick";
              return document;
            })
          }
          sx={{ width: 110 }}
        >
          <MenuItem value="switch">switch</MenuItem>
          <MenuItem value="stick">stick</MenuItem>
        </TextField>
        {by === "stick" && (
          <>
            <NumberField
              label="Hold yaw right"
              value={rule.hold_ms}
              unit="ms"
              min={200}
              max={5000}
              width={120}
              onCommit={(ms) =>
                edit((document) => {
                  document.settings.stick_arming = { ...rule, ...document.settings.stick_arming, hold_ms: Math.round(ms) };
                  return document;
                })
              }
            />
            <NumberField
              label="Disarms itself after"
              value={rule.timeout_s}
              unit="s"
              min={0}
              max={60}
              width={138}
              onCommit={(s) =>
                edit((document) => {
                  document.settings.stick_arming = { ...rule, ...document.settings.stick_arming, timeout_s: Math.round(s) };
                  return document;
                })
              }
            />
          </>
        )}
      </Box>
      {blockers.length > 0 && !armed && (
        <Box component="ul" aria-label="Blockers" sx={{ m: 0, mt: 1, p: 0, listStyle: "none", fontSize: 13, display: "grid", gap: 0.4 }}>
          {/* what blocks carries a figure that flickers, what clears it none: a link that is made anew while it is pressed leads nowhere */}
          {blockers.map((each) => (
            <li key={each.clears}>
              <Box component="b" sx={{ color: colours.copperText }}>
                {each.what}
              </Box>{" "}
              <Box component="span" sx={{ color: "text.secondary" }}>
                {each.clears}
              </Box>{" "}
              {each.hop && each.hop !== "switchboard" && <Link to={`/crafts/${craft.id}/${hopPath(each.hop)}`}>{hopTitle(each.hop)}</Link>}
            </li>
          ))}
        </Box>
      )}
    </Panel>
  );
}
