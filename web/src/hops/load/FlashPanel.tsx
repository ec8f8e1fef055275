import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import LinearProgress from "@mui/material/LinearProgress";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { DeviceView, Fault, JobState, JudgedImage, LoadTold, WayIn } from "../../api/types";
import { doAct, sendHands, useBenchStore } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";
import { NumberField } from "../../look/NumberField";
import { Panel } from "../../look/Panel";
import { Problem } from "../../look/Problem";
import { ROLE_WORDS } from "./Ends";
import { sized } from "./useLoad";

const WAY_NAMES: Record<WayIn, string> = {
  request: "Asked for over USB",
  button: "Bootloader button",
  "over the air": "Over the air",
  bridge: "Through the board (bridge)",
  adapter: "Serial adapter",
  "own port": "Its own USB socket",
};
const STATES: Record<string, string> = {
  asking: "Asking for the bootloader",
  erasing: "Erasing",
  writing: "Writing",
  verifying: "Reading back",
  restarting: "Restarting",
  done: "Done",
  failed: "Failed",
  stopped: "Stopped",
  interrupted: "Interrupted",
};
const STEPS = ["asking", "erasing", "writing", "verifying", "restarting"];

/** One flash: the image, the way in, what is happening, and how it ended. */
export function FlashPanel({
  device,
  load,
  job,
  image,
}: {
  device: DeviceView;
  load: LoadTold;
  job: JobState | undefined;
  image: JudgedImage | null;
}) {
  const running = job !== undefined && job.ended_t === null;
  return (
    <Panel title={running ? `Flashing the ${device.name}` : `Flash the ${device.name}`}>
      {!device.can_flash ? (
        <Box sx={{ color: "text.secondary" }}>Its firmware is what it was made with: nothing can be loaded.</Box>
      ) : (
        <>
          {job && <Progress job={job} />}
          <Box sx={{ display: running ? "none" : undefined }}>
            <Order device={device} load={load} image={image} />
          </Box>
          <Faults fault={load.fault} />
        </>
      )}
    </Panel>
  );
}

function Order({ device, load, image }: { device: DeviceView; load: LoadTold; image: JudgedImage | null }) {
  const [way, setWay] = useState<WayIn | null>(null);
  const [erase, setErase] = useState(false);
  const [keep, setKeep] = useState(true);
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState("");
  const there = device.ways.find((each) => each.way === way) ?? device.ways.find((each) => each.seen.sight === "ready") ?? device.ways[0];
  const may = image !== null && image.judged.may !== "no";
  const start = async () => {
    if (!image || !there) return;
    setBusy(true);
    setWay(there.way); // what was taken stays chosen, whatever happens on the way
    const answer = await doAct("flash", undefined, {
      role: device.role,
      image: image.image.id,
      way: there.way,
      full_erase: erase,
      keep_settings: keep,
    });
    setBusy(false);
    setProblem(answer.ok ? "" : answer.text);
  };
  return (
    <Box sx={{ display: "grid", gap: 1 }}>
      <TextField select label="Way in" value={there?.way ?? ""} onChange={(event) => setWay(event.target.value as WayIn)}>
        {device.ways.map((each) => (
          <MenuItem key={each.way} value={each.way}>
            {WAY_NAMES[each.way]}
            {each.seen.sight === "ready" ? "" : `: ${each.seen.sight}`}
          </MenuItem>
        ))}
      </TextField>
      {there && (
        <Box sx={{ fontSize: 13, color: there.seen.sight === "ready" ? colours.verdigris : colours.copperText }}>
          {there.seen.says} <b>{there.seen.do}</b> <Hand way={there.way} load={load} />
        </Box>
      )}
      <Box component="label" sx={{ display: "flex", alignItems: "center", fontSize: 13 }}>
        <Checkbox size="small" checked={erase} onChange={(_, to) => setErase(to)} sx={{ p: 0.25, mr: 0.75 }} />
        Erase everything, settings too
        <Box component="span" sx={{ color: "text.secondary", ml: 0.75 }}>
          {device.role === "board" ? "drops all settings" : device.role === "receiver" ? "drops the bind as well" : ""}
        </Box>
      </Box>
      {device.role === "board" && (
        <Box component="label" sx={{ display: "flex", alignItems: "center", fontSize: 13 }}>
          <Checkbox size="small" checked={keep} onChange={(_, to) => setKeep(to)} sx={{ p: 0.25, mr: 0.75 }} />
          <span>
            Read its settings first and keep them
            {!keep && (
              <Box component="span" sx={{ color: colours.oxide, fontWeight: 600 }}>
                {" "}
                Skipped: what is on the board now and not in the draft will be gone.
              </Box>
            )}
          </span>
        </Box>
      )}
      <Button variant="contained" disabled={!may || busy} onClick={start} sx={{ justifySelf: "start" }}>
        {image ? `Flash ${image.image.facts.version}` : "Choose an image"}
      </Button>
      {image?.then && (
        <Box sx={{ fontSize: 13, color: colours.copperText }}>
          The ends do not match then, until{" "}
          {image.then.steps.map((step) => `${step.said} is on the ${ROLE_WORDS[step.role].toLowerCase()}`).join(" and ")} as well.
        </Box>
      )}
      {image?.judged.may === "no" && <Box sx={{ fontSize: 13, color: colours.oxide }}>{image.judged.findings[0]?.what}</Box>}
      <Problem text={problem} />
    </Box>
  );
}

/** What the hand does about a way in: cables and the bootloader button. */
function Hand({ way, load }: { way: WayIn; load: LoadTold }) {
  const usb = useBenchStore((state) => state.live?.usb ?? false);
  const button = (text: string, act: () => void) => (
    <Button variant="outlined" sx={{ py: 0, ml: 0.5 }} onClick={act}>
      {text}
    </Button>
  );
  if (way === "own port")
    return load.own_port_plugged
      ? button("Unplug its cable", () => sendHands({ own_port_plugged: false }))
      : button("Plug its cable in", () => sendHands({ own_port_plugged: true }));
  if (way === "adapter")
    return load.adapter_plugged
      ? button("Unplug the adapter", () => sendHands({ adapter_plugged: false }))
      : button("Put the adapter on", () => sendHands({ adapter_plugged: true }));
  if (way === "over the air") return null;
  return (
    <>
      {usb ? button("Unplug USB", () => sendHands({ usb: false })) : button("Plug USB in", () => sendHands({ usb: true }))}
      {way === "button" &&
        (load.boot_button
          ? button("Release the button", () => sendHands({ boot_button: false }))
          : button("Hold the button", () => sendHands({ boot_button: true })))}
    </>
  );
}

function Progress({ job }: { job: JobState }) {
  const running = job.ended_t === null;
  const at = STEPS.indexOf(job.state);
  const bad = job.state === "failed" || job.state === "interrupted";
  const [problem, setProblem] = useState("");
  const stop = async () => {
    const answer = await doAct("stop flashing", undefined, job.order as never);
    setProblem(answer.ok ? "" : answer.text);
  };
  return (
    <Box
      aria-live="polite"
      sx={{
        mb: 1.25,
        p: 1.25,
        borderRadius: 1,
        bgcolor: bad ? colours.oxideWash : job.state === "done" ? colours.verdigrisWash : colours.bench,
      }}
    >
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "baseline", mb: 0.5 }}>
        <b>{STATES[job.state]}</b>
        {running && job.total > 0 && (
          <Box component="span" className="mono" sx={{ fontFamily: mono, fontSize: 12.5 }}>
            {job.state === "erasing" ? "sector" : "page"} {job.done} of {job.total}
            {job.rate_bytes_s ? `, ${(job.rate_bytes_s / 1024).toFixed(1)} kB/s` : ""}
          </Box>
        )}
        <Box component="span" sx={{ ml: "auto", fontFamily: mono, fontSize: 16, whiteSpace: "nowrap" }} data-testid="flash-percent">
          {job.percent.toFixed(0)} %
        </Box>
      </Box>
      <LinearProgress
        variant="determinate"
        value={job.percent}
        aria-label="Flashed"
        sx={{
          height: 8,
          borderRadius: 1,
          bgcolor: colours.hairline,
          "& .MuiLinearProgress-bar": { bgcolor: bad ? colours.oxide : running ? colours.copper : colours.verdigris, transition: "none" },
        }}
      />
      {running && (
        <Box sx={{ display: "flex", gap: 1.25, mt: 0.75, fontSize: 12 }}>
          {STEPS.map((step, index) => (
            <Box
              component="span"
              key={step}
              sx={{
                color: index === at ? colours.copperText : index < at ? colours.verdigris : colours.tarnishText,
                fontWeight: index === at ? 700 : 400,
              }}
            >
              {index < at ? "✓ " : ""}
              {step}
            </Box>
          ))}
        </Box>
      )}
      <Box sx={{ fontSize: 13, mt: 0.5 }}>{running ? `${job.image_said}, ${sized(job.size)}, ${job.says}` : job.says}</Box>
      {job.recover.map((line) => (
        <Box key={line} sx={{ fontSize: 13, mt: 0.5, fontWeight: 600 }}>
          {line}
        </Box>
      ))}
      {running && (
        <Box sx={{ mt: 0.75, display: "flex", gap: 1, alignItems: "center", fontSize: 12.5, color: "text.secondary" }}>
          <Button variant="outlined" disabled={!job.can_stop} onClick={stop}>
            Stop
          </Button>
          {!job.can_stop && "stopping now would leave it without firmware"}
        </Box>
      )}
      <Problem text={problem} />
    </Box>
  );
}

const FAULTS: Fault["kind"][] = ["none", "cable pulled", "power lost", "bad page", "busy port", "charge-only cable", "no driver"];
const ON_THE_WAY = ["cable pulled", "power lost", "bad page"];

/** What shall go wrong: the bench's faults, for trying out what happens then. */
function Faults({ fault }: { fault: Fault }) {
  const kind = fault.kind;
  const set = (next: Fault["kind"], at: number) => sendHands({ fault: { kind: next, at_percent: at } });
  return (
    <Box sx={{ mt: 1.5, pt: 1, borderTop: `1px solid ${colours.hairline}`, display: "flex", gap: 1, alignItems: "center" }}>
      <Box component="span" sx={{ fontSize: 12.5, color: "text.secondary" }}>
        On the bench
      </Box>
      <TextField
        select
        label="Goes wrong"
        value={kind}
        onChange={(event) => set(event.target.value as Fault["kind"], fault.at_percent)}
        sx={{ flex: 1 }}
      >
        {FAULTS.map((each) => (
          <MenuItem key={each} value={each}>
            {each === "none" ? "nothing" : each}
          </MenuItem>
        ))}
      </TextField>
      {ON_THE_WAY.includes(kind) && (
        <NumberField label="at" unit="%" min={0} max={100} width={84} value={fault.at_percent} onCommit={(at) => set(kind, at)} />
      )}
    </Box>
  );
}
