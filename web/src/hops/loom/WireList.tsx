import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { LoomView } from "../../api/types";
import { useSteady } from "../../bench/useBench";
import type { DraftHopProps } from "../../craft/hopProps";
import { useWireMove } from "../../craft/useWireMove";
import { ringOut, takeRingBack } from "../../craft/useWorkedOut";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { Problem } from "../../look/Problem";
import { useAsked } from "../../look/useAsked";

const INITIALS = "coin-bell-initials";

/** Every wire: what it is, whether it is rung out, and a hand on it. */
export function WireList({
  craft,
  catalogue,
  view,
  lit,
  onLight,
  edit,
}: DraftHopProps & { view: LoomView; lit: string | null; onLight: (key: string | null) => void }) {
  const queries = useQueryClient();
  const live = useSteady((state) => state.report?.told.loom?.rung ?? {});
  const [initials, setInitials] = useState(() => localStorage.getItem(INITIALS) ?? "");
  const { problem, ask } = useAsked();
  const byHand = useWireMove(craft, edit);
  const [moving, setMoving] = useState<string | null>(null);
  const pads = catalogue.boards.find((each) => each.id === craft.document.kit.board)?.pads ?? [];
  const rung = { ...view.rung, ...live };
  const again = () => queries.invalidateQueries({ queryKey: ["worked out", craft.id, "loom"] });
  useEffect(() => localStorage.setItem(INITIALS, initials), [initials]);
  const tick = async (wire: string) => {
    await ask(() => (wire in rung ? takeRingBack(craft, wire) : ringOut(craft, wire, initials)));
    await again();
  };
  const done = view.wires.filter((wire) => wire.key in rung).length;
  return (
    <Panel title="Wire list" aside={`${done} of ${view.wires.length} rung out`}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1, fontSize: 12.5, color: "text.secondary" }}>
        <TextField
          label="Your initials"
          value={initials}
          onChange={(event) => setInitials(event.target.value)}
          slotProps={{ htmlInput: { maxLength: 6 } }}
          sx={{ width: 110, flexShrink: 0 }}
        />
        <span>Ring each wire out, then tick it. A wire that only the signal can have come through ticks itself.</span>
      </Box>
      <Problem text={problem || byHand.problem} />
      <Box
        component="table"
        aria-label="Wire list"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          fontSize: 12.5,
          "& td": { py: 0.35, pr: 0.75, borderTop: `1px solid ${colours.hairline}` },
        }}
      >
        <tbody>
          {view.wires.map((wire) => (
            <Box
              component="tr"
              key={wire.key}
              data-row={wire.key}
              onMouseEnter={() => onLight(wire.key)}
              onMouseLeave={() => onLight(null)}
              sx={{ bgcolor: lit === wire.key ? colours.verdigrisWash : undefined }}
            >
              <td>
                <Box
                  component="span"
                  title={wire.colour}
                  sx={{
                    display: "inline-block",
                    width: 12,
                    height: 12,
                    borderRadius: "50%",
                    border: `1px solid ${colours.ink}`,
                    bgcolor: wire.ink,
                    verticalAlign: -1,
                  }}
                />
              </td>
              <td>
                <b>{wire.device}</b>{" "}
                <Box component="span" sx={{ fontFamily: mono }}>
                  {wire.pin} → {wire.pad}
                </Box>
                <Box sx={{ color: "text.secondary" }}>
                  {wire.purpose}, {wire.to}
                  {wire.inverter ? ", through an inverter" : ""}
                  {wire.fixed ? ", fixed" : ""}
                </Box>
                {moving === wire.key && (
                  <PadField
                    label={`Pad of ${wire.device} ${wire.pin}`}
                    pads={pads}
                    value={wire.pad}
                    onChoose={(pad) => {
                      void byHand.move(wire.device, wire.pin, pad);
                      setMoving(null);
                    }}
                  />
                )}
              </td>
              <td style={{ textAlign: "right" }}>
                <Button
                  variant={wire.key in rung ? "text" : "outlined"}
                  aria-pressed={wire.key in rung}
                  aria-label={`${wire.device} ${wire.pin} to ${wire.pad} ${wire.key in rung ? `rung out: ${rung[wire.key]}` : "rings"}`}
                  onFocus={() => onLight(wire.key)}
                  onBlur={() => onLight(null)}
                  onClick={() => tick(wire.key)}
                  sx={{
                    py: 0,
                    fontSize: 12,
                    lineHeight: 1.25,
                    color: wire.key in rung ? colours.verdigris : undefined,
                    textAlign: "right",
                    whiteSpace: "nowrap",
                  }}
                  title={rung[wire.key]}
                >
                  {wire.key in rung ? `✓ ${byAndDay(rung[wire.key])}` : "Mark as rung out"}
                </Button>
              </td>
              <td style={{ whiteSpace: "nowrap" }}>
                {wire.moves && (
                  <Button
                    variant="text"
                    aria-label={`Move ${wire.device} ${wire.pin}`}
                    aria-expanded={moving === wire.key}
                    sx={{ minWidth: 0, p: 0, mr: 1, color: colours.softInk, fontSize: 12 }}
                    onClick={() => setMoving(moving === wire.key ? null : wire.key)}
                  >
                    Move
                  </Button>
                )}
                <Button
                  variant="text"
                  aria-label={`Remove the wire of ${wire.device} ${wire.pin}`}
                  sx={{ minWidth: 0, p: 0, color: colours.softInk, fontSize: 12 }}
                  onClick={() => void byHand.move(wire.device, wire.pin, null)}
                >
                  Remove
                </Button>
              </td>
            </Box>
          ))}
        </tbody>
      </Box>
      <NewWire craft={craft} catalogue={catalogue} pads={pads} edit={edit} />
    </Panel>
  );
}

/** Who rang a wire out and on which day; all of it stands in its title. */
function byAndDay(rung = ""): string {
  const [, who, day] = rung.match(/^(.*), (\d{4}-\d\d-\d\d) /) ?? [];
  return who && day ? `${who}, ${new Date(day).toLocaleDateString("en-GB", { day: "numeric", month: "short", timeZone: "UTC" })}` : rung;
}

type Pads = DraftHopProps["catalogue"]["boards"][number]["pads"];

function PadField({ label, pads, value, onChoose }: { label: string; pads: Pads; value: string; onChoose: (pad: string) => void }) {
  const known = pads.some((pad) => pad.name === value);
  return (
    <TextField
      select
      label={label}
      value={known ? value : ""}
      onChange={(event) => onChoose(event.target.value)}
      sx={{ width: 190, my: 0.75 }}
    >
      {pads.map((pad) => (
        <MenuItem key={pad.name} value={pad.name}>
          {pad.name}
          <Box component="span" sx={{ color: "text.secondary", ml: 1, fontSize: 12 }}>
            {pad.port ?? pad.rail ?? pad.kind}
          </Box>
        </MenuItem>
      ))}
    </TextField>
  );
}

/** A wire that is soldered by hand: a pin that has none yet, and a pad. */
function NewWire({ craft, catalogue, pads, edit }: DraftHopProps & { pads: Pads }) {
  const byHand = useWireMove(craft, edit);
  const [pin, setPin] = useState("");
  const { kit, wiring } = craft.document;
  const devices = [
    { name: "receiver", part: catalogue.receivers.find((each) => each.id === kit.receiver) },
    ...kit.devices.map((device) => ({
      name: device.name,
      part: catalogue.peripherals.find((each) => each.id === device.part),
    })),
  ];
  const loose = devices.flatMap(({ name, part }) =>
    (part?.pins ?? [])
      .filter((each) => !wiring.some((patch) => patch.device === name && patch.pin === each.name))
      .map((each) => `${name}/${each.name}`),
  );
  if (loose.length === 0) return null;
  return (
    <Box role="group" aria-label="Solder a wire" sx={{ display: "flex", gap: 1, mt: 1.5, alignItems: "center" }}>
      <TextField
        select
        label="Solder pin"
        value={loose.includes(pin) ? pin : ""}
        onChange={(event) => setPin(event.target.value)}
        sx={{ width: 160 }}
      >
        {loose.map((each) => (
          <MenuItem key={each} value={each}>
            {each.replace("/", " ")}
          </MenuItem>
        ))}
      </TextField>
      {loose.includes(pin) && (
        <PadField
          label="to pad"
          pads={pads}
          value=""
          onChoose={(pad) => {
            const [device = "", name = ""] = pin.split("/");
            void byHand.move(device, name, pad);
            setPin("");
          }}
        />
      )}
      <Problem text={byHand.problem} />
    </Box>
  );
}
