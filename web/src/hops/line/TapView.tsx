import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import type { Recording, TapState } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { Problem } from "../../look/Problem";
import { Big, Card } from "./Card";
import { FrameStrip } from "./FrameStrip";
import { hex, percent, spaced, told } from "./kinds";
import { recordingOf } from "./recordingOf";
import { useTap } from "./useTap";

const BAUDS = [420000, 115200, 100000, 57600, 9600, 400000, 200000, 921600];
const FRAMINGS = ["8N1", "8E2", "8E1", "8O1"] as const;
const PARITIES = { N: "none", E: "even", O: "odd" } as const;

/** A real receiver on a serial adapter, or any other serial line of the machine that Coin Bell runs on. */
export function TapView({ craftId, onOpen, onBack }: { craftId: string; onOpen: (recording: Recording) => void; onBack: () => void }) {
  const { state, lost, send } = useTap(craftId);
  const [address, setAddress] = useState("");
  const [baud, setBaud] = useState(115200);
  const [framing, setFraming] = useState<string>("8N1");
  const [trouble, setTrouble] = useState("");
  const listening = state !== null && !["closed", "refused"].includes(state.state);
  const made = state?.recording ?? null;
  useEffect(() => {
    if (!made) return;
    recordingOf(made)
      .then(onOpen)
      .catch((error: Error) => setTrouble(error.message));
  }, [made, onOpen]);
  useEffect(() => {
    if (state?.state === "listening" && state.trials.length > 0) {
      setBaud(state.baud);
      setFraming(state.framing);
    }
  }, [state?.state, state?.trials.length, state?.baud, state?.framing]);
  const ready = address !== "" && state !== null && !lost;
  const listen = () => {
    const letter = framing.charAt(1) as keyof typeof PARITIES;
    send({ address, baud, parity: PARITIES[letter], stop_bits: framing.endsWith("2") ? 2 : 1 });
  };
  return (
    <>
      <HopHead title="Line" question="What does a real receiver say, heard through a serial adapter?">
        <Button variant="outlined" onClick={onBack}>
          Back to the live line
        </Button>
      </HopHead>
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          if (ready) listen();
        }}
        sx={{ display: "flex", gap: 1.25, alignItems: "center", mb: 1 }}
      >
        <Autocomplete
          freeSolo
          options={state?.places.map((place) => place.address) ?? []}
          getOptionLabel={(option) => option}
          renderOption={(props, option) => (
            <li {...props} key={option}>
              <Box>
                <span className="mono">{option}</span>
                <Box sx={{ fontSize: 12.5, color: "text.secondary" }}>{state?.places.find((place) => place.address === option)?.about}</Box>
              </Box>
            </li>
          )}
          inputValue={address}
          onInputChange={(_, value) => setAddress(value)}
          onOpen={() => send("list")}
          sx={{ width: 330 }}
          renderInput={(params) => <TextField {...params} label="Serial line" placeholder="/dev/ttyUSB0" />}
        />
        <TextField select label="Baud" value={baud} onChange={(event) => setBaud(Number(event.target.value))} sx={{ width: 120 }}>
          {[...new Set([...BAUDS, baud])].map((each) => (
            <MenuItem key={each} value={each}>
              {spaced(each)}
            </MenuItem>
          ))}
        </TextField>
        <TextField select label="Framing" value={framing} onChange={(event) => setFraming(event.target.value)} sx={{ width: 100 }}>
          {[...new Set([...FRAMINGS, framing])].map((each) => (
            <MenuItem key={each} value={each}>
              {each}
            </MenuItem>
          ))}
        </TextField>
        <Button variant="contained" type="submit" disabled={!ready}>
          Listen
        </Button>
        {listening && (
          <Button variant="outlined" onClick={() => send("close")}>
            Close the line
          </Button>
        )}
      </Box>
      <Problem text={trouble} />
      {lost && <Problem text="Coin Bell does not answer; the tap is taken up again when it does." />}
      {state?.state === "refused" && <Problem text={state.text} />}
      {state?.state === "gone" && (
        <Box role="status" sx={{ p: 1.25, bgcolor: colours.copperWash, borderRadius: 1, mb: 1 }}>
          {state.text}
        </Box>
      )}
      {state === null || !listening ? <HowTo /> : <Heard state={state} send={send} />}
    </>
  );
}

function Heard({ state, send }: { state: TapState; send: (command: "try settings" | "keep") => void }) {
  const channels = Object.entries(state.channels);
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 1.5 }}>
      <Card
        title={`${state.address} at ${spaced(state.baud)} baud, ${state.framing}`}
        edge={state.protocol ? colours.verdigris : colours.tarnish}
      >
        <Big>
          {state.protocol
            ? `${state.protocol}: ${percent(state.good_share)} of the frames whole`
            : state.bytes === 0
              ? "nothing yet: no bytes"
              : state.what === "unknown"
                ? "bytes of no known protocol"
                : `${state.what}, not a receiver`}
        </Big>
        <span>
          {spaced(state.bytes_per_s)} bytes a second, {spaced(state.bytes)} in all. {state.why.join(" ")}
        </span>
        {state.late && (
          <Box component="span" role="status" sx={{ px: 0.75, py: 0.25, bgcolor: colours.copperWash, borderRadius: 0.75 }}>
            {state.late}
          </Box>
        )}
        {!state.protocol && state.bytes > 0 && (
          <span>
            An adapter hears only what its settings let through. Try the usual ones, and remember that an inverted line needs an inverter in
            front of the adapter.
          </span>
        )}
        <Box sx={{ display: "flex", gap: 1, mt: 0.5 }}>
          <Button variant="outlined" onClick={() => send("try settings")} disabled={state.state === "trying settings"}>
            {state.state === "trying settings" ? "Trying the usual settings…" : "Try the usual settings"}
          </Button>
          <Button variant="outlined" onClick={() => send("keep")} disabled={state.bytes === 0}>
            Record what was heard
          </Button>
        </Box>
        {state.trials.length > 0 && (
          <Box component="ul" aria-label="Settings that were tried" sx={{ m: 0, pl: 2 }}>
            {state.trials.map((trial) => (
              <li key={`${trial.baud} ${trial.framing}`}>
                {spaced(trial.baud)} baud {trial.framing}: {trial.what === "unknown" ? "no frame" : trial.what}
                {trial.good_share > 0 ? `, ${percent(trial.good_share)} whole` : ""}
              </li>
            ))}
          </Box>
        )}
      </Card>
      <FrameStrip marks={state.marks} />
      {channels.length > 0 && (
        <Box
          sx={{
            display: "grid",
            gridTemplateColumns: { xs: "repeat(4, 1fr)", md: "repeat(8, 1fr)" },
            gap: "4px 12px",
            fontFamily: mono,
            fontSize: 13,
          }}
          aria-label="Channels"
          role="group"
        >
          {channels.map(([number, us]) => (
            <span key={number}>
              <Box component="span" sx={{ color: "text.secondary" }}>
                CH{number}
              </Box>{" "}
              {us.toFixed(1)}
            </span>
          ))}
        </Box>
      )}
      {Object.entries(state.sensors).map(([sensor, values]) => (
        <span key={sensor}>
          {sensor.replaceAll("_", " ")}: {told(sensor, values)}
        </span>
      ))}
      <Box sx={{ fontFamily: mono, fontSize: 12.5, color: "text.secondary" }} aria-label="The last bytes">
        {state.last_bytes.map((value) => hex(value)).join(" ")}
      </Box>
    </Box>
  );
}

function HowTo() {
  return (
    <Box component="ul" sx={{ mt: 2, pl: 2.5, maxWidth: 640, display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 0.75 }}>
      <li>
        Solder or clip the adapter's RX to the receiver's signal pin, and both grounds together. Its TX stays free: a tap never sends.
      </li>
      <li>The adapter hangs on the machine that Coin Bell runs on. Open the list above: what is plugged in is there.</li>
      <li>
        In a container the device must be handed in when it is started; on a far machine, offer the line there and let the operator allow
        its address.
      </li>
      <li>
        No adapter at hand? <span className="mono">./bell line --craft Curlew</span> offers a stand-in's line, which then stands in the
        list.
      </li>
    </Box>
  );
}
