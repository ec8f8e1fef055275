import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Link } from "react-router";
import type { Part, Parts } from "../../api/types";
import type { DraftHopProps } from "../../craft/hopProps";
import { type Proposal, ProposalBox } from "../../craft/ProposalBox";
import { type Doing, exchange, useForVersion, useKitView } from "../../craft/useWorkedOut";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { Panel } from "../../look/Panel";
import { Problem } from "../../look/Problem";
import { columns } from "../../look/phone";
import { useAsked } from "../../look/useAsked";
import { partItems } from "../../parts/partItems";
import { AbilityPanel } from "./AbilityPanel";
import { FitsPanel, StartingPanel } from "./More";
import { OutputChange } from "./OutputChange";

type Role = "board" | "receiver" | "transmitter" | "module" | "pack";
const ROLES: { role: Role; label: string; empty: string }[] = [
  { role: "board", label: "Board", empty: "no board chosen" },
  { role: "receiver", label: "Receiver", empty: "no receiver chosen" },
  { role: "transmitter", label: "Transmitter", empty: "no transmitter chosen" },
  { role: "module", label: "Module", empty: "none: the bay stays empty" },
  { role: "pack", label: "Pack", empty: "no pack chosen" },
];

export function KitHop({ craft, catalogue, edit }: DraftHopProps) {
  const view = useKitView(craft);
  const [proposal, propose] = useForVersion<Proposal>(craft.version);
  const { problem, ask, forget } = useAsked();
  const { kit } = craft.document;
  const lists: Record<Role, Part[]> = {
    board: catalogue.boards,
    receiver: catalogue.receivers,
    transmitter: catalogue.transmitters,
    module: catalogue.modules,
    pack: catalogue.packs,
  };
  const change = async (doing: Doing, part: string, title: string, first: "show" | "take", to?: string) => {
    const answer = await ask(() => exchange(craft, doing, part, to));
    if (answer && first === "show") propose({ version: answer.version, view: { title, exchange: answer.view } });
    else if (answer) edit(answer.view.edits, answer.version);
  };
  const wired = (name: string) => craft.document.wiring.some((patch) => patch.device === name);
  const named = (part: string) => catalogue.peripherals.find((each) => each.id === part);
  const bay = catalogue.transmitters.find((each) => each.id === kit.transmitter)?.module_bay ?? false;
  return (
    <>
      <HopHead title="Kit" question="Which parts lie on the bench, and what can they do together?">
        <Link to={`/workshops/${craft.workshop_id}/parts`} style={{ color: colours.verdigris }}>
          All parts and their facts
        </Link>
      </HopHead>
      <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(380px, 5fr) minmax(400px, 6fr)"), gap: 2, alignItems: "start" }}>
        <Panel title="Parts">
          <Box sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 1.25 }}>
            <TextField
              select
              label="Airframe"
              value={craft.document.airframe}
              onChange={(event) => edit([{ path: "/airframe", value: event.target.value }])}
              sx={{ mr: "38px" }}
            >
              {catalogue.airframes.map((each) => (
                <MenuItem key={each} value={each}>
                  {each}
                </MenuItem>
              ))}
            </TextField>
            {ROLES.filter(({ role }) => role !== "module" || bay || kit.module).map(({ role, label, empty }) => (
              <PartRow
                key={role}
                label={label}
                empty={empty}
                chosen={kit[role] ?? ""}
                list={lists[role]}
                workshop={craft.workshop_id}
                onChoose={(part) => change(role, part, `Exchange the ${role}`, kit[role] ? "show" : "take")}
              />
            ))}
            <Box
              component="ul"
              aria-label="Devices"
              sx={{
                listStyle: "none",
                m: 0,
                p: 0,
                display: "grid",
                gridTemplateColumns: "minmax(0, 1fr)",
                gap: 0.5,
                borderTop: 1,
                borderColor: "divider",
                pt: 1,
              }}
            >
              {kit.devices.map((device, index) => (
                <Box component="li" key={device.name} sx={{ display: "flex", alignItems: "baseline", gap: 1, fontSize: 13.5 }}>
                  <DeviceName
                    name={device.name}
                    onType={forget}
                    onRename={(to) => change("rename device", device.name, "Rename", "take", to)}
                  />
                  <Link to={`/workshops/${craft.workshop_id}/parts/${device.part}`} style={{ color: colours.ink }}>
                    {named(device.part)?.name ?? device.part}
                  </Link>
                  {catalogue.servos.includes(device.part) && (
                    <ServoMoves
                      name={device.name}
                      role={device.role}
                      roles={catalogue.servo_roles}
                      onChoose={(role) => edit([{ path: `/kit/devices/${index}/role`, value: role }], craft.version)}
                    />
                  )}
                  <Box
                    component="span"
                    sx={{ color: "text.secondary", flex: 1, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}
                  >
                    {named(device.part)?.about ?? "no longer in the catalogue"}
                  </Box>
                  <Button
                    variant="text"
                    sx={{ minWidth: 0, py: 0, color: colours.softInk }}
                    aria-label={`Remove ${device.name}`}
                    onClick={() => change("remove device", device.name, `Remove ${device.name}`, wired(device.name) ? "show" : "take")}
                  >
                    Remove
                  </Button>
                </Box>
              ))}
            </Box>
            <TextField
              select
              label="Add a device"
              value=""
              onChange={(event) => change("add device", event.target.value, "Add a device", "take")}
            >
              {partItems(catalogue.peripherals)}
            </TextField>
          </Box>
          <Problem text={problem} />
          {proposal && (
            <ProposalBox proposal={proposal} onTake={() => edit(proposal.exchange.edits, craft.version)} onLeave={() => propose(null)} />
          )}
        </Panel>
        <Box sx={{ display: "grid", gap: 2, minWidth: 0 }}>
          {view.error && <Box role="alert">{view.error.message}</Box>}
          {view.data && <AbilityPanel craft={craft} catalogue={catalogue} edit={edit} ability={view.data.view.ability} />}
          {!view.isPending && <OutputChange craft={craft} catalogue={catalogue} edit={edit} />}
        </Box>
      </Box>
      {view.data && (
        <Box sx={{ display: "grid", gap: 1.5, mt: 2 }}>
          <FitsPanel
            fits={view.data.view.fits}
            current={kit.receiver}
            onTake={(part) => change("receiver", part, "Exchange the receiver", "show")}
          />
          <StartingPanel
            airframe={craft.document.airframe}
            lines={view.data.view.starting}
            onTake={(edits) => edit(edits, view.data?.version)}
          />
        </Box>
      )}
    </>
  );
}

/** What a device is called in this craft; a click makes it a field. */
type ServoRole = Parts["servo_roles"][number];

/** What a servo moves: chosen, never guessed from what it is called. */
function ServoMoves({
  name,
  role,
  roles,
  onChoose,
}: {
  name: string;
  role: ServoRole | null;
  roles: ServoRole[];
  onChoose: (role: ServoRole | null) => void;
}) {
  return (
    <TextField
      select
      variant="standard"
      value={role ?? ""}
      onChange={(event) => onChoose((event.target.value || null) as ServoRole | null)}
      slotProps={{
        select: { displayEmpty: true, inputProps: { "aria-label": `What ${name} moves` }, sx: { fontSize: 13 } },
        input: { disableUnderline: true },
      }}
    >
      <MenuItem value="">moves: not chosen</MenuItem>
      {roles.map((each) => (
        <MenuItem key={each} value={each}>
          moves {each}
        </MenuItem>
      ))}
    </TextField>
  );
}

function DeviceName({ name, onType, onRename }: { name: string; onType: () => void; onRename: (to: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const done = () => {
    if (typed?.trim() && typed.trim() !== name) onRename(typed.trim());
    setTyped(null);
  };
  if (typed === null)
    return (
      <Button
        variant="text"
        color="inherit"
        title="Rename"
        aria-label={`Rename ${name}`}
        sx={{ minWidth: 0, p: 0, fontWeight: 700, fontSize: 13.5 }}
        onClick={() => setTyped(name)}
      >
        {name}
      </Button>
    );
  return (
    <TextField
      autoFocus
      label={`Name of ${name}`}
      value={typed}
      onChange={(event) => {
        setTyped(event.target.value);
        onType();
      }}
      onBlur={done}
      onKeyDown={(event) => {
        if (event.key === "Enter") done();
        if (event.key === "Escape") setTyped(null);
      }}
      slotProps={{ htmlInput: { maxLength: 30 } }}
      sx={{ width: 150 }}
    />
  );
}

function PartRow({
  label,
  empty,
  chosen,
  list,
  workshop,
  onChoose,
}: {
  label: string;
  empty: string;
  chosen: string;
  list: Part[];
  workshop: number;
  onChoose: (part: string) => void;
}) {
  const part = list.find((each) => each.id === chosen);
  const lost = chosen !== "" && !part;
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr) auto", alignItems: "center", gap: 1 }}>
      <TextField
        select
        label={label}
        value={lost ? "" : chosen}
        error={lost}
        helperText={lost ? `${chosen} is no longer in the catalogue` : undefined}
        onChange={(event) => onChoose(event.target.value)}
        slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
      >
        <MenuItem value="">
          <Box component="span" sx={{ color: colours.softInk }}>
            {empty}
          </Box>
        </MenuItem>
        {partItems(list)}
      </TextField>
      {part ? (
        <Link
          to={`/workshops/${workshop}/parts/${part.id}`}
          style={{ color: colours.verdigris, fontSize: 13 }}
          aria-label={`Facts of ${part.name}`}
        >
          facts
        </Link>
      ) : (
        <Box sx={{ width: 32 }} />
      )}
    </Box>
  );
}
