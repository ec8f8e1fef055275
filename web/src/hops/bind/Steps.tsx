import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { Link } from "react-router";
import type { BindTold, Craft } from "../../api/types";
import { sendHands } from "../../bench/useBench";
import { hopPath, hopTitle } from "../../chain/hops";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";

const WAYS: Record<BindTold["way"], string> = {
  button: "Bind button held at power-up",
  menu: "Transmitter's menu, the receiver waiting",
  "power cycles": "Three quick power cycles",
  register: "Register first, bind second",
  phrase: "Link phrase on both ends",
  count: "Bind count from the board",
};
const WHO = { receiver: "receiver", transmitter: "transmitter", board: "board", both: "both ends" } as const;

/** The way that is followed, step by step, down to the proof. */
export function Steps({ bind, craft, edit }: { bind: BindTold; craft: Craft; edit: HopProps["edit"] }) {
  const drafted = craft.document.settings.bind_count;
  const count = (value: number) => edit([{ path: "/settings/bind_count", value }], craft.version);
  return (
    <Panel
      title="Steps"
      aside={
        bind.ways.length > 1 ? (
          <TextField
            select
            label="Way to bind"
            value={bind.way}
            onChange={(event) => sendHands({ way: event.target.value as BindTold["way"] })}
            sx={{ width: 250 }}
          >
            {bind.ways.map((way) => (
              <MenuItem key={way} value={way}>
                {WAYS[way]}
              </MenuItem>
            ))}
          </TextField>
        ) : (
          WAYS[bind.way]
        )
      }
    >
      {bind.hindrances.length > 0 && (
        <Box sx={{ mb: 1, p: 1, borderRadius: 1, fontSize: 13.5, bgcolor: colours.copperWash }}>
          <b>Cannot bind yet:</b> {bind.hindrances.join("; ")}.
        </Box>
      )}
      <Box component="ol" aria-label="Steps" sx={{ listStyle: "none", m: 0, p: 0 }}>
        {bind.steps.map((step, index) => (
          <Box
            component="li"
            key={step.text}
            aria-current={step.next ? "step" : undefined}
            sx={{
              display: "grid",
              gridTemplateColumns: "26px minmax(0, 1fr) 92px",
              alignItems: "baseline",
              py: 0.5,
              px: 1,
              borderLeft: `4px solid ${step.next ? colours.copper : "transparent"}`,
              bgcolor: step.next ? colours.copperWash : "transparent",
              color: step.done ? "text.secondary" : "text.primary",
            }}
          >
            <Box component="span" sx={{ fontFamily: mono, fontSize: 13, color: step.done ? colours.verdigris : colours.tarnishText }}>
              {step.done ? "✓" : index + 1}
            </Box>
            <Box component="span" sx={{ fontWeight: step.next ? 600 : 400 }}>
              {step.text}
              {step.hop && (
                <>
                  : <Link to={`/crafts/${craft.id}/${hopPath(step.hop)}`}>{hopTitle(step.hop)}</Link>
                </>
              )}
              <Box component="span" sx={{ position: "absolute", width: "1px", height: "1px", overflow: "hidden", clipPath: "inset(50%)" }}>
                {step.done ? ", done" : step.next ? ", next" : ""}
              </Box>
            </Box>
            <Box component="span" sx={{ fontSize: 12.5, color: "text.secondary", textAlign: "right" }}>
              {WHO[step.who]}
            </Box>
          </Box>
        ))}
      </Box>
      {bind.way === "count" && (
        <Box sx={{ display: "flex", gap: 1, alignItems: "center", mt: 1, fontSize: 13, flexWrap: "wrap" }}>
          <span>
            Bind count: <b>{bind.count}</b> on the board, <b>{drafted}</b> in the draft
          </span>
          {bind.count_wanted.slice(0, 2).map((value) => (
            <Button key={value} variant="outlined" disabled={drafted === value} onClick={() => count(value)}>
              Set {value}
            </Button>
          ))}
          <Button variant="outlined" disabled={drafted === 0} onClick={() => count(0)}>
            Back to 0
          </Button>
          {drafted !== bind.count && <Box sx={{ color: colours.copperText, fontWeight: 600 }}>Write it to the board.</Box>}
        </Box>
      )}
      <Box
        role="status"
        sx={{ mt: 1.25, p: 1.25, borderRadius: 1, fontSize: 13.5, bgcolor: bind.proven ? colours.verdigrisWash : colours.bench }}
      >
        <b>{bind.proven ? "Proven." : "Proof."}</b> {bind.verdict}
        <Times cycle={bind.cycle} />
      </Box>
    </Panel>
  );
}

/** When each end went off and came on, in bench seconds. */
function Times({ cycle }: { cycle: BindTold["cycle"] }) {
  const ends = [
    ["receiver", cycle.receiver_off_t, cycle.receiver_on_t],
    ["transmitter", cycle.transmitter_off_t, cycle.transmitter_on_t],
  ] as const;
  const said = ends
    .filter(([, off]) => off !== null && off !== undefined)
    .map(([name, off, on]) => `${name} off ${off?.toFixed(1)} s${on ? `, on ${on.toFixed(1)} s` : ""}`);
  if (cycle.back_t) said.push(`link back ${cycle.back_t.toFixed(1)} s`);
  return said.length > 0 ? <Box sx={{ fontFamily: mono, fontSize: 12, color: "text.secondary", mt: 0.25 }}>{said.join(" · ")}</Box> : null;
}
