import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { CraftDocument, TransmitterSetup } from "../../api/types";
import type { HopProps } from "../../craft/CraftPage";
import { colours } from "../../look/colours";
import { NumberField } from "../../look/NumberField";
import { Panel } from "../../look/Panel";

const STICKS = ["aileron", "elevator", "throttle", "rudder"];
const LAYOUTS = ["plain", "helicopter", "elevons", "flaps"] as const;
type Write = (change: (setup: TransmitterSetup) => void) => void;

/** The transmitter's model memory, in its own steps and limits. */
export function MemoryPanel({ document, parts, edit }: { document: CraftDocument; parts: HopProps["parts"]; edit: HopProps["edit"] }) {
  const setup = document.transmitter;
  const { transmitter } = parts;
  const write: Write = (change) =>
    edit((draft) => {
      change(draft.transmitter);
      return draft;
    });
  const sources = [...STICKS, ...transmitter.switches.map((each) => each.name)];
  const trims = Object.entries(setup.trims_us ?? {}).filter(([, us]) => us);
  return (
    <Panel title={`Model memory of the ${transmitter.name}`} aside={`slot ${setup.slot ?? 1}, stick mode ${setup.stick_mode ?? 2}`}>
      <Box sx={{ display: "flex", gap: 1, mb: 1.25, flexWrap: "wrap", alignItems: "center" }}>
        <TextField
          select
          label="Begun as"
          value={setup.layout ?? "plain"}
          onChange={(event) => write((target) => (target.layout = event.target.value as (typeof LAYOUTS)[number]))}
          sx={{ width: 130 }}
        >
          {LAYOUTS.map((layout) => (
            <MenuItem key={layout} value={layout}>
              {layout}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Stick mode"
          value={setup.stick_mode ?? 2}
          onChange={(event) => write((target) => (target.stick_mode = Number(event.target.value) as 1 | 2 | 3 | 4))}
          sx={{ width: 110 }}
        >
          {[1, 2, 3, 4].map((mode) => (
            <MenuItem key={mode} value={mode}>
              {mode}
            </MenuItem>
          ))}
        </TextField>
        <Extra
          text="Mix"
          items={(setup.mixes ?? []).map((mix) => `${mix.percent} % of ${mix.source} on CH${mix.to}`)}
          onDrop={(index) => write((target) => target.mixes?.splice(index, 1))}
        />
        <Extra
          text="Rate"
          items={(setup.rates ?? []).map((rate) => `${rate.axis} ${rate.percent ?? 100} %`)}
          onDrop={(index) => write((target) => target.rates?.splice(index, 1))}
        />
        <Extra
          text="Trim"
          items={trims.map(([axis, us]) => `${axis} ${us > 0 ? "+" : ""}${us} us`)}
          onDrop={(index) =>
            write((target) => {
              target.trims_us = Object.fromEntries(trims.filter((_, at) => at !== index));
            })
          }
        />
        <AddMix sources={sources} channels={setup.channels.length} write={write} />
      </Box>
      <Box
        component="table"
        aria-label="Model memory"
        sx={{
          borderCollapse: "collapse",
          fontSize: 13,
          "& th": { fontWeight: 500, color: "text.secondary", textAlign: "left", pr: 1 },
          "& td": { pr: 1, py: 0.35 },
        }}
      >
        <thead>
          <tr>
            <th>channel</th>
            <th>source</th>
            <th>reverse</th>
            <th>
              sub-trim, steps of {transmitter.ends?.sub_trim_step_us ?? 1} us up to {transmitter.ends?.sub_trim_max_us ?? 150}
            </th>
            <th>
              low travel, steps of {transmitter.ends?.travel_step_percent ?? 1} % up to {transmitter.max_travel_percent}
            </th>
            <th>high travel</th>
          </tr>
        </thead>
        <tbody>
          {setup.channels.map((channel, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a channel is its number
            <tr key={index}>
              <td>
                <b>CH{index + 1}</b>
              </td>
              <td>
                <TextField
                  select
                  value={sources.includes(channel.source) ? channel.source : ""}
                  onChange={(event) =>
                    write((target) => {
                      const at = target.channels[index];
                      if (at) at.source = event.target.value;
                    })
                  }
                  slotProps={{ select: { displayEmpty: true }, htmlInput: { "aria-label": `Source of CH${index + 1}` } }}
                  sx={{ width: 120 }}
                >
                  <MenuItem value="">no source</MenuItem>
                  {sources.map((source) => (
                    <MenuItem key={source} value={source}>
                      {source}
                    </MenuItem>
                  ))}
                </TextField>
              </td>
              <td>
                <Checkbox
                  size="small"
                  checked={channel.reverse ?? false}
                  slotProps={{ input: { "aria-label": `Reverse CH${index + 1}` } }}
                  onChange={(_, on) =>
                    write((target) => {
                      const at = target.channels[index];
                      if (at) at.reverse = on;
                    })
                  }
                />
              </td>
              {(
                [
                  ["sub_trim_us", "Sub-trim", "us", -(transmitter.ends?.sub_trim_max_us ?? 150), transmitter.ends?.sub_trim_max_us ?? 150],
                  ["travel_low_percent", "Low travel", "%", 0, transmitter.max_travel_percent],
                  ["travel_high_percent", "High travel", "%", 0, transmitter.max_travel_percent],
                ] as const
              ).map(([field, label, unit, min, max]) => (
                <td key={field}>
                  <NumberField
                    label={`${label} of CH${index + 1}`}
                    bare
                    value={channel[field] ?? 0}
                    unit={unit}
                    min={min}
                    max={max}
                    width={104}
                    onCommit={(value) =>
                      write((target) => {
                        const at = target.channels[index];
                        if (at) at[field] = value;
                      })
                    }
                  />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </Box>
    </Panel>
  );
}

/** What a memory holds beyond its channels, each to be taken off. */
function Extra({ text, items, onDrop }: { text: string; items: string[]; onDrop: (index: number) => void }) {
  return items.map((item, index) => (
    <Button
      key={item}
      variant="outlined"
      onClick={() => onDrop(index)}
      aria-label={`Take off: ${text} ${item}`}
      sx={{ color: colours.copperText, py: 0.2 }}
      title="Take it off"
    >
      {text}: {item} ×
    </Button>
  ));
}

function AddMix({ sources, channels, write }: { sources: string[]; channels: number; write: Write }) {
  return (
    <TextField
      select
      label="Add a mix"
      value=""
      onChange={(event) => {
        const [source = "", to = "1"] = event.target.value.split(">");
        write((target) => {
          target.mixes = [...(target.mixes ?? []), { source, to: Number(to), percent: 20 }];
        });
      }}
      sx={{ width: 150 }}
    >
      {sources.slice(0, 4).flatMap((source) =>
        [1, 2, 3, 4].slice(0, channels).map((to) => (
          <MenuItem key={`${source}>${to}`} value={`${source}>${to}`}>
            20 % of {source} on CH{to}
          </MenuItem>
        )),
      )}
    </TextField>
  );
}
