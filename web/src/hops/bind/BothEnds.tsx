import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { BindTold, Transmitter } from "../../api/types";
import { lightWords, ShownLight } from "../../bench/ShownLight";
import { sendHands, useBenchStore } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";
import { columns } from "../../look/phone";
import { SignalLine } from "../../look/SignalLine";

const PLACES = [
  [0.1, "right beside each other"],
  [2, "two steps apart"],
  [10, "across the workshop"],
  [100, "across the field"],
  [1000, "1 km"],
  [5000, "5 km"],
  [20000, "20 km"],
] as const;
const SLOTS = Array.from({ length: 10 }, (_, index) => index + 1);

/** The two ends side by side, with the air between them: what each does, waits for, and can be made to do. */
export function BothEnds({ bind, transmitter }: { bind: BindTold; transmitter: Transmitter }) {
  const phrase = bind.ways.includes("phrase");
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0,1fr) 178px minmax(0,1fr)"), alignItems: "stretch" }}>
      <TransmitterCard bind={bind} transmitter={transmitter} phrase={phrase} />
      <Between bind={bind} />
      <ReceiverCard bind={bind} phrase={phrase} />
    </Box>
  );
}

function EndCard({
  title,
  state,
  waits,
  left,
  children,
}: {
  title: string;
  state: ReactNode;
  waits: string;
  left: number | null;
  children: ReactNode;
}) {
  return (
    <Box
      component="section"
      aria-label={title}
      sx={{
        bgcolor: "background.paper",
        border: `1px solid ${colours.hairline}`,
        borderRadius: 1.5,
        px: 2,
        py: 1.5,
        display: "grid",
        gap: 1,
        alignContent: "start",
      }}
    >
      <Box sx={{ fontSize: 12.5, color: "text.secondary" }}>{title}</Box>
      <Box sx={{ fontSize: 17, fontWeight: 600, display: "flex", gap: 1, alignItems: "center", minHeight: 26 }}>{state}</Box>
      <Box sx={{ fontSize: 13, color: "text.secondary", minHeight: 20 }}>
        {waits && `waits for ${waits}`}
        {left !== null && (
          <Box component="span" sx={{ fontFamily: mono, color: colours.copperText, fontWeight: 600 }}>
            {" "}
            {Math.ceil(left)} s left
          </Box>
        )}
      </Box>
      <Box sx={{ display: "flex", gap: 0.75, flexWrap: "wrap", alignItems: "center" }}>{children}</Box>
    </Box>
  );
}

function TransmitterCard({ bind, transmitter, phrase }: { bind: BindTold; transmitter: Transmitter; phrase: boolean }) {
  const on = useBenchStore((state) => state.live?.transmitter_on ?? false);
  const mode = useBenchStore((state) => state.live?.transmitter_mode ?? "normal");
  return (
    <EndCard
      title={`Transmitter · ${transmitter.name}`}
      state={bind.transmitter.state}
      waits={bind.transmitter.waits_for}
      left={bind.transmitter.left_s}
    >
      <Button variant="outlined" onClick={() => sendHands({ transmitter_on: !on })}>
        {on ? "Switch off" : "Switch on"}
      </Button>
      {mode !== "bind" && (
        <Button variant={bind.knows ? "outlined" : "contained"} disabled={!on} onClick={() => sendHands({ transmitter_mode: "bind" })}>
          Bind
        </Button>
      )}
      {mode !== "register" && bind.ways.includes("register") && (
        <Button variant="outlined" disabled={!on} onClick={() => sendHands({ transmitter_mode: "register" })}>
          Register
        </Button>
      )}
      {mode !== "normal" && (
        <Button variant="contained" color="secondary" onClick={() => sendHands({ transmitter_mode: "normal" })}>
          Leave {mode}
        </Button>
      )}
      <TextField
        select
        label="Model memory"
        value={bind.model}
        onChange={(event) => sendHands({ model: Number(event.target.value) })}
        sx={{ width: 122 }}
      >
        {SLOTS.map((slot) => (
          <MenuItem key={slot} value={slot}>
            {slot}
          </MenuItem>
        ))}
      </TextField>
      {phrase && <Phrase end="transmitter" set={Boolean(bind.transmitter_phrase)} least={bind.shortest_phrase} />}
      <Identity label="sends" value={bind.sends_identity} same={bind.knows} />
    </EndCard>
  );
}

function ReceiverCard({ bind, phrase }: { bind: BindTold; phrase: boolean }) {
  const light = useSteadyLight();
  const plugged = useBenchStore((state) => state.live?.receiver_plugged ?? true);
  const held = useBenchStore((state) => state.live?.bind_button ?? false);
  const button = bind.ways.includes("button") || bind.ways.includes("register");
  return (
    <EndCard
      title={`Receiver · ${bind.receiver.name}`}
      state={
        <>
          {light && <ShownLight light={light} size={18} />}
          <span>{bind.receiver.state}</span>
          {light && (
            <Box component="span" sx={{ fontSize: 12.5, fontWeight: 400, color: "text.secondary" }}>
              {lightWords(light)}
            </Box>
          )}
        </>
      }
      waits={bind.receiver.waits_for}
      left={bind.receiver.left_s}
    >
      <Button variant="outlined" onClick={() => sendHands({ receiver_plugged: !plugged })}>
        {plugged ? "Remove supply" : "Give supply"}
      </Button>
      {button && (
        <Button variant="outlined" aria-pressed={held} onClick={() => sendHands({ bind_button: !held })}>
          {held ? "Release the button" : "Hold the button"}
        </Button>
      )}
      {bind.ways.includes("power cycles") && <QuickCycles />}
      {bind.bind_pad && (
        <Button variant="outlined" onClick={() => sendHands({ satellite_away: !bind.satellite_away })}>
          {bind.satellite_away ? "Plug it back into its own pad" : `Plug it into ${bind.bind_pad}`}
        </Button>
      )}
      {phrase && <Phrase end="receiver" set={bind.knows && Boolean(bind.transmitter_phrase)} least={bind.shortest_phrase} />}
      {bind.identity && (
        <Button variant="text" onClick={() => sendHands({ forget_bind: true })}>
          Make it forget
        </Button>
      )}
      <Identity label="listens for" value={bind.identity} same={bind.knows} />
    </EndCard>
  );
}

function useSteadyLight() {
  const text = useBenchStore((state) => JSON.stringify(state.live?.light ?? null));
  return JSON.parse(text) as NonNullable<ReturnType<typeof useBenchStore.getState>["live"]>["light"] | null;
}

/** Three times off and on, as fast as a hand does it. */
function QuickCycles() {
  const [busy, setBusy] = useState(false);
  const timers = useRef<number[]>([]);
  useEffect(() => () => timers.current.forEach(window.clearTimeout), []);
  const run = () => {
    setBusy(true);
    for (let step = 0; step < 6; step++)
      timers.current.push(
        window.setTimeout(() => {
          sendHands({ receiver_plugged: step % 2 === 1 });
          if (step === 5) setBusy(false);
        }, step * 600),
      );
  };
  return (
    <Button variant="outlined" disabled={busy} onClick={run}>
      {busy ? "Off and on…" : "Off and on three times"}
    </Button>
  );
}

function Phrase({ end, set, least }: { end: "transmitter" | "receiver"; set: boolean; least: number }) {
  const [text, setText] = useState("");
  const send = () => {
    sendHands(end === "transmitter" ? { transmitter_phrase: text } : { receiver_phrase: text });
    setText("");
  };
  return (
    <Box sx={{ display: "flex", gap: 0.5, alignItems: "center", width: "100%" }}>
      <TextField
        label={set ? "Link phrase: set" : `Link phrase, ${least} letters or more`}
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && text.trim().length >= least && send()}
        slotProps={{ htmlInput: { "aria-label": `Link phrase of the ${end}`, maxLength: 64 } }}
        sx={{ flex: 1 }}
      />
      <Button variant="outlined" disabled={text.trim().length < least} onClick={send} aria-label={`Set the ${end}'s link phrase`}>
        Set
      </Button>
      {end === "transmitter" && set && (
        <Button variant="text" onClick={() => sendHands({ transmitter_phrase: "" })}>
          Remove
        </Button>
      )}
    </Box>
  );
}

function Identity({ label, value, same }: { label: string; value: string; same: boolean }) {
  return (
    <Box sx={{ width: "100%", fontSize: 12.5, color: "text.secondary" }}>
      {label}{" "}
      <Box component="span" sx={{ fontFamily: mono, color: !value ? colours.tarnishText : same ? colours.verdigris : colours.oxide }}>
        {value ? value.replace(/(..)/g, "$1 ").trim().toUpperCase() : "nobody"}
      </Box>
    </Box>
  );
}

function Between({ bind }: { bind: BindTold }) {
  const linked = useBenchStore((state) => state.live?.linked ?? false);
  const lq = useBenchStore((state) => state.live?.lq_percent ?? 0);
  const near = PLACES.reduce((best, each) =>
    Math.abs(Math.log(each[0] / bind.distance_m)) < Math.abs(Math.log(best[0] / bind.distance_m)) ? each : best,
  );
  return (
    <Box sx={{ px: 1.25, textAlign: "center", display: "grid", alignContent: "center", gap: 0.5 }}>
      <Box sx={{ fontWeight: 700, fontSize: 14, color: linked ? colours.verdigris : colours.oxide }}>
        {linked ? `linked, LQ ${lq} %` : "no link"}
      </Box>
      <Box sx={{ mx: -1.25 }}>
        <SignalLine flows={linked} ink={linked ? colours.verdigris : colours.oxide} />
      </Box>
      <TextField
        select
        label="Distance"
        value={near[0]}
        onChange={(event) => sendHands({ distance_m: Number(event.target.value) })}
        sx={{ mt: 0.5, textAlign: "left" }}
      >
        {PLACES.map(([metres, words]) => (
          <MenuItem key={metres} value={metres}>
            {words}
          </MenuItem>
        ))}
      </TextField>
      <Box sx={{ fontSize: 12, color: "text.secondary" }}>
        {bind.margin_db === null ? "" : `${bind.margin_db.toFixed(0)} dB above what is still understood`}
      </Box>
    </Box>
  );
}
