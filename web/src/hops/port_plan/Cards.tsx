import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Job, PlanView } from "../../api/types";
import { useBenchStore, useSteady } from "../../bench/useBench";
import type { DraftHopProps } from "../../craft/hopProps";
import { useWireMove } from "../../craft/useWireMove";
import { solder } from "../../craft/useWorkedOut";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { Problem } from "../../look/Problem";
import { useAsked } from "../../look/useAsked";
import type { Chosen } from "./PatchPicture";

const MOST_SPOTS = 6;

/** A device: where it could go, best first, and why not elsewhere. */
export function DeviceCard({
  craft,
  edit,
  view,
  device,
  onClose,
}: DraftHopProps & { view: PlanView; device: string; onClose: () => void }) {
  const { problem, ask } = useAsked();
  const mine = view.devices.filter((each) => each.device === device);
  const wires = craft.document.wiring.filter((patch) => patch.device === device);
  const fixed = wires.some((patch) => patch.fixed);
  const put = async (job: Job, pads: string[]) => {
    const answer = await ask(() => solder(craft, device, job, pads));
    if (answer) edit(answer.view.edits, answer.version);
  };
  const fix = (to: boolean) =>
    edit((document) => {
      for (const patch of document.wiring) if (patch.device === device) patch.fixed = to;
      return document;
    });
  return (
    <Panel title={device} aside={<Close onClick={onClose} />}>
      {mine.length === 0 && <Box sx={{ fontSize: 13.5 }}>It asks for no port.</Box>}
      {mine.map((demand) => (
        <Box key={demand.job} sx={{ mb: 1.5 }}>
          <Box sx={{ fontSize: 13, color: "text.secondary", mb: 0.5 }}>
            {demand.label} asks for the job <b>{demand.job}</b>; pads that could serve, best first:
          </Box>
          <Box component="ul" aria-label={`Pads for ${device}`} sx={{ listStyle: "none", m: 0, p: 0, display: "grid", gap: 0.4 }}>
            {demand.spots
              .filter((spot) => !spot.why_not)
              .slice(0, MOST_SPOTS)
              .map((spot) => (
                <Box component="li" key={spot.pads.join()} sx={{ display: "flex", alignItems: "baseline", gap: 1, fontSize: 13 }}>
                  <Box component="span" sx={{ fontFamily: mono, minWidth: 62 }}>
                    {spot.pads.join(" ")}
                  </Box>
                  <Box component="span" sx={{ color: spot.taken_by ? colours.oxide : colours.softInk, flex: 1 }}>
                    {[spot.port, spot.note, spot.taken_by && `${spot.taken_by} is there`].filter(Boolean).join(", ")}
                  </Box>
                  {spot.here ? (
                    <Box component="span" sx={{ color: colours.verdigris }}>
                      soldered
                    </Box>
                  ) : (
                    <Button
                      variant="outlined"
                      sx={{ py: 0 }}
                      aria-label={`Solder ${device} to ${spot.pads.join(" and ")}`}
                      onClick={() => put(demand.job, spot.pads)}
                    >
                      Solder here
                    </Button>
                  )}
                </Box>
              ))}
          </Box>
          <WhyNot spots={demand.spots} />
        </Box>
      ))}
      {wires.length > 0 && (
        <FormControlLabel
          control={<Checkbox size="small" checked={fixed} onChange={(_, to) => fix(to)} sx={{ py: 0.25 }} />}
          label={<span style={{ fontSize: 13 }}>Its wires are fixed: plans leave them where they are</span>}
        />
      )}
      <Problem text={problem} />
    </Panel>
  );
}

function WhyNot({ spots }: { spots: PlanView["devices"][number]["spots"] }) {
  const not = spots.filter((spot) => spot.why_not);
  if (not.length === 0) return null;
  return (
    <Box component="details" sx={{ fontSize: 12.5, color: "text.secondary", mt: 0.5 }}>
      <summary style={{ cursor: "pointer" }}>Why not the others</summary>
      <Box component="ul" sx={{ m: 0, pl: 2 }}>
        {not.map((spot) => (
          <li key={spot.port}>{spot.why_not}</li>
        ))}
      </Box>
    </Box>
  );
}

/** Which UART is this pad? */
export function PadCard({
  craft,
  catalogue,
  edit,
  view,
  pad,
  onChoose,
}: DraftHopProps & { view: PlanView; pad: string; onChoose: (chosen: Chosen) => void }) {
  const facts = view.pads.find((each) => each.pad === pad);
  const onBoard = useSteady((state) => state.report?.on_board?.ports ?? null);
  const due = useBenchStore((state) => state.report?.restart_due ?? false);
  if (!facts) return null;
  const { port } = facts;
  const job = port ? (craft.document.settings.ports[port] ?? "free") : null;
  const held = port ? onBoard?.[port] : undefined;
  return (
    <Panel title={port ? `${pad} is ${port}` : pad} aside={<Close onClick={() => onChoose(null)} />}>
      <Box component="ul" sx={{ m: 0, pl: 2, fontSize: 13 }}>
        {facts.abilities.map((each) => (
          <li key={each}>{each}</li>
        ))}
      </Box>
      <Box sx={{ fontSize: 13, my: 1 }}>
        {facts.soldered.length > 0 ? (
          <>
            Soldered to it: <b>{facts.soldered.join(", ")}</b>
          </>
        ) : (
          "Nothing is soldered to it."
        )}
        {facts.rivals.length > 0 && <Box sx={{ color: "text.secondary" }}>It could serve {facts.rivals.join(", ")}.</Box>}
      </Box>
      {port && (
        <Box sx={{ display: "grid", gap: 1.25 }}>
          <TextField
            select
            label={`Job of ${port}`}
            value={job}
            onChange={(event) => edit([{ path: `/settings/ports/${port}`, value: event.target.value }])}
          >
            {catalogue.jobs.map((each) => (
              <MenuItem key={each} value={each}>
                {each}
              </MenuItem>
            ))}
          </TextField>
          {held !== undefined && held !== job && (
            <Box sx={{ fontSize: 13, color: colours.copperText }}>
              The board still has <b>{held}</b>. Write the draft, then restart.
            </Box>
          )}
          {held === job && due && (
            <Box sx={{ fontSize: 13, color: colours.copperText }}>Written, but a port's job counts only after a restart of the board.</Box>
          )}
          <ReadAs craft={craft} catalogue={catalogue} edit={edit} port={port} />
        </Box>
      )}
    </Panel>
  );
}

/** How the receiver is read. A protocol without a port that has the receiver job is offered together with the job, in order. */
function ReadAs({ craft, catalogue, edit, port }: DraftHopProps & { port: string }) {
  const { ports, receiver_input } = craft.document.settings;
  const input = receiver_input;
  const [wanted, setWanted] = useState<string | null>(null);
  const listens = Object.values(ports).includes("receiver input");
  const only = (protocol: string) => edit([{ path: "/settings/receiver_input/protocol", value: protocol }]);
  const choose = (protocol: string) =>
    listens || !catalogue.protocols.find((each) => each.name === protocol)?.needs_job ? only(protocol) : setWanted(protocol);
  if (listens && ports[port] !== "receiver input") return null;
  return (
    <>
      <TextField select label="Receiver protocol" value={wanted ?? input.protocol ?? ""} onChange={(event) => choose(event.target.value)}>
        {catalogue.protocols.map((each) => (
          <MenuItem key={each.name} value={each.name}>
            {each.name}
          </MenuItem>
        ))}
      </TextField>
      {wanted && !listens && (
        <Box
          role="group"
          aria-label="Both, in order"
          sx={{ bgcolor: colours.copperWash, borderRadius: 1, p: 1.25, fontSize: 13, display: "grid", gap: 1 }}
        >
          <span>No port has the receiver job yet, and the board takes a protocol only then.</span>
          <Button
            variant="contained"
            onClick={() => {
              edit([
                { path: `/settings/ports/${port}`, value: "receiver input" },
                { path: "/settings/receiver_input/protocol", value: wanted },
              ]);
              setWanted(null);
            }}
          >
            Give {port} the job, then read {wanted}
          </Button>
          <Button
            variant="outlined"
            onClick={() => {
              only(wanted);
              setWanted(null);
            }}
          >
            Only keep the choice
          </Button>
        </Box>
      )}
      {ports[port] === "receiver input" && (
        <FormControlLabel
          control={
            <Checkbox
              size="small"
              checked={input.inverted}
              onChange={(_, inverted) => edit([{ path: "/settings/receiver_input/inverted", value: inverted }])}
            />
          }
          label="Inverted line"
        />
      )}
    </>
  );
}

/** A pin that waits for its pad: pick one in the picture, or here. */
export function PinCard({
  craft,
  edit,
  view,
  device,
  pin,
  onChoose,
}: DraftHopProps & { view: PlanView; device: string; pin: string; onChoose: (chosen: Chosen) => void }) {
  const at = craft.document.wiring.find((patch) => patch.device === device && patch.pin === pin);
  const wire = useWireMove(craft, edit);
  const done = async (pad: string | null) => {
    await wire.move(device, pin, pad);
    onChoose({ kind: "device", device });
  };
  return (
    <Panel title={`${device} ${pin}`} aside={<Close onClick={() => onChoose(null)} />}>
      <Box sx={{ display: "grid", gap: 1.25, fontSize: 13.5 }}>
        <Problem text={wire.problem} />
        <span>{at ? `Soldered to ${at.pad}.` : "Soldered nowhere."} Pick its pad in the picture, or here:</span>
        <TextField select label="Pad" value={at?.pad ?? ""} onChange={(event) => void done(event.target.value || null)}>
          <MenuItem value="">nowhere</MenuItem>
          {view.pads.map((each) => (
            <MenuItem key={each.pad} value={each.pad}>
              {each.pad}
              {each.port ? `, ${each.port}` : ""}
              {each.soldered.length ? `, ${each.soldered.join(", ")}` : ""}
            </MenuItem>
          ))}
        </TextField>
      </Box>
    </Panel>
  );
}

function Close({ onClick }: { onClick: () => void }) {
  return (
    <Button variant="text" sx={{ minWidth: 0, py: 0, color: colours.softInk }} onClick={onClick}>
      close
    </Button>
  );
}
