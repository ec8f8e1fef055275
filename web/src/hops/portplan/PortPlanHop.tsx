import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Job } from "../../api/types";
import { useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/CraftPage";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { BoardPicture } from "./BoardPicture";

export function PortPlanHop({ craft, parts, edit }: HopProps) {
  const { document } = craft;
  const jobs = document.settings.ports;
  const signalPin = parts.receiver.pins.find((pin) => pin.kind === "signal out")?.name ?? "";
  const soldered = document.wiring?.find((patch) => patch.pin === signalPin)?.pad;
  const solderedPort = parts.board.pads.find((pad) => pad.name === soldered)?.port ?? null;
  const withJob = parts.board.ports.find((port) => jobs[port] === "receiver input");
  const [chosen, setChosen] = useState<string | null>(null);
  const port = chosen ?? withJob ?? solderedPort ?? parts.board.ports[0] ?? "";

  return (
    <>
      <HopHead title="Port plan" question="Which port does what, and does the receiver's wire meet its job? Pick a port or a pad." />
      <Box sx={{ display: "grid", gridTemplateColumns: "minmax(560px, 1fr) 250px", gap: 2.5, alignItems: "start" }}>
        <BoardPicture board={parts.board} receiver={parts.receiver} document={document} chosen={port} onChoose={setChosen} />
        <PortCard key={port} craft={craft} parts={parts} edit={edit} port={port} signalPin={signalPin} soldered={soldered} />
      </Box>
    </>
  );
}

function PortCard({
  craft,
  parts,
  edit,
  port,
  signalPin,
  soldered,
}: HopProps & { port: string; signalPin: string; soldered: string | undefined }) {
  const report = useBenchStore((state) => state.report);
  const settings = craft.document.settings;
  const pads = parts.board.pads.filter((pad) => pad.port === port);
  const rx = pads.find((pad) => pad.kind === "rx");
  const tx = pads.find((pad) => pad.kind === "tx");
  const job = settings.ports[port] ?? "free";
  const onBoard = report?.on_board?.ports[port];
  const input = settings.receiver_input ?? { protocol: null, inverted: false };
  const invertible = rx && parts.board.inverting_pads.includes(rx.name);
  const solder = (pad: string) =>
    edit((document) => {
      const wiring = document.wiring ?? [];
      const kept = wiring.filter((patch) => patch.pin !== signalPin);
      const power = parts.receiver.pins
        .filter((pin) => (pin.kind === "supply" || pin.kind === "ground") && !wiring.some((patch) => patch.pin === pin.name))
        .map((pin) => ({
          device: "receiver" as const,
          pin: pin.name,
          pad: parts.board.pads.find((each) => each.kind === pin.kind)?.name ?? "",
        }));
      document.wiring = [...kept, ...power, { device: "receiver", pin: signalPin, pad }];
      return document;
    });
  return (
    <Box
      component="section"
      aria-label={`Port ${port}`}
      sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.5, p: 2, display: "grid", gap: 1.5 }}
    >
      <div>
        <Typography variant="h2" sx={{ fontFamily: mono, fontSize: 18 }}>
          {port}
        </Typography>
        <Box sx={{ fontSize: 13, color: "text.secondary" }}>
          {rx ? `${rx.name} listens` : "no pad to listen"}, {tx ? `${tx.name} sends` : "no pad to send"}
          <br />
          {rx ? (invertible ? "can read an inverted line" : "cannot read an inverted line") : ""}
        </Box>
      </div>
      <TextField
        select
        label={`Job of ${port}`}
        value={job}
        onChange={(event) =>
          edit((document) => {
            document.settings.ports[port] = event.target.value as Job;
            return document;
          })
        }
      >
        {parts.choices.jobs.map((each) => (
          <MenuItem key={each} value={each}>
            {each}
          </MenuItem>
        ))}
      </TextField>
      {onBoard !== undefined && onBoard !== job && (
        <Box sx={{ fontSize: 13, color: colours.copperText }}>
          The board still holds <b>{onBoard}</b>. Write the draft, then restart.
        </Box>
      )}
      {onBoard === job && report?.restart_due && (
        <Box sx={{ fontSize: 13, color: colours.copperText }}>Written, but a port's job counts only after a restart of the board.</Box>
      )}
      {job === "receiver input" && (
        <>
          <TextField
            select
            label="Protocol"
            value={input.protocol ?? ""}
            onChange={(event) =>
              edit((document) => {
                document.settings.receiver_input = { inverted: false, ...document.settings.receiver_input, protocol: event.target.value };
                return document;
              })
            }
          >
            {parts.choices.protocols.map((each) => (
              <MenuItem key={each} value={each}>
                {each}
              </MenuItem>
            ))}
          </TextField>
          <FormControlLabel
            control={
              <Checkbox
                size="small"
                checked={input.inverted ?? false}
                onChange={(_, inverted) =>
                  edit((document) => {
                    document.settings.receiver_input = { protocol: null, ...document.settings.receiver_input, inverted };
                    return document;
                  })
                }
              />
            }
            label="Inverted line"
          />
        </>
      )}
      {rx && rx.name !== soldered && (
        <Button variant="outlined" onClick={() => solder(rx.name)}>
          Solder {parts.receiver.name} {signalPin} to {rx.name}
        </Button>
      )}
      {rx && rx.name === soldered && (
        <Box sx={{ fontSize: 13 }}>
          The {parts.receiver.name}'s {signalPin} is soldered to {rx.name}.
        </Box>
      )}
    </Box>
  );
}
