import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { Band, CraftDocument, ModeBand, Report } from "../../api/types";
import { useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/CraftPage";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { NumberField } from "../../look/NumberField";
import { Ruler } from "./Ruler";
import { TruthTable } from "./TruthTable";

const PLACES: Record<number, string[]> = { 2: ["low", "high"], 3: ["low", "mid", "high"] };

interface NamedBand {
  name: string;
  band: Band;
  write: (document: CraftDocument, band: Band | null) => void;
}

function bandsOf(document: CraftDocument): NamedBand[] {
  const { arming, modes } = document.settings;
  const named: NamedBand[] = [];
  if (arming)
    named.push({
      name: "arm",
      band: arming,
      write: (target, band) => {
        target.settings.arming = band;
      },
    });
  (modes ?? []).forEach((mode, index) => {
    named.push({
      name: mode.mode,
      band: mode,
      write: (target, band) => {
        const list = [...(target.settings.modes ?? [])];
        if (band) list[index] = { ...band, mode: mode.mode };
        else list.splice(index, 1);
        target.settings.modes = list;
      },
    });
  });
  return named;
}

export function SwitchboardHop({ craft, parts, edit }: HopProps) {
  const report = useBenchStore((state) => state.report);
  const channels = useBenchStore((state) => state.live?.board.channels);
  if (!report || !channels) return <p>Listening…</p>;
  const bands = bandsOf(craft.document);
  const switchChannels = craft.document.transmitter.channels
    .map((channel, index) => ({ channel: index + 1, source: channel.source }))
    .filter(({ source }) => parts.transmitter.switches.some((each) => each.name === source));
  const free = parts.choices.modes.filter((mode) => !bands.some((each) => each.name === mode));
  const start = (name: string) =>
    edit((document) => {
      const first = name === "arm" ? switchChannels[0] : switchChannels[1];
      const band = { channel: first?.channel ?? 5, low: 1750, high: 2150 };
      if (name === "arm") document.settings.arming = band;
      else document.settings.modes = [...(document.settings.modes ?? []), { ...band, mode: name as ModeBand["mode"] }];
      return document;
    });
  return (
    <>
      <HopHead
        title="Switchboard"
        question="What does each switch position do? Flip every switch through its positions; each resting value is learned as you flip."
      />
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: `repeat(${Math.max(1, Math.min(3, report.switches.length))}, 182px) minmax(300px, 1fr)`,
          gap: 1.5,
          alignItems: "start",
        }}
      >
        {report.switches.slice(0, 3).map((view) => (
          <Ruler key={view.channel} view={view} now={channels[view.channel - 1]} />
        ))}
        {report.switches.length === 0 && (
          <Box sx={{ color: "text.secondary", p: 2, border: `1px dashed ${colours.hairline}` }}>
            No band listens to a switch yet. Start with arm, below.
          </Box>
        )}
        <TruthTable table={report.table} />
      </Box>
      <Box sx={{ mt: 1.5, display: "grid", gap: 1.25 }}>
        {bands.map((each) => (
          <BandLine key={each.name} named={each} views={report.switches} channels={switchChannels} edit={edit} />
        ))}
        <Box sx={{ display: "flex", gap: 1 }}>
          {!craft.document.settings.arming && (
            <Button variant="contained" onClick={() => start("arm")}>
              Give arming a band
            </Button>
          )}
          {free.map((mode) => (
            <Button key={mode} variant="outlined" onClick={() => start(mode)}>
              Give {mode} a band
            </Button>
          ))}
        </Box>
      </Box>
    </>
  );
}

function BandLine({
  named,
  views,
  channels,
  edit,
}: {
  named: NamedBand;
  views: Report["switches"];
  channels: { channel: number; source: string }[];
  edit: HopProps["edit"];
}) {
  const { band, name, write } = named;
  const view = views.find((each) => each.channel === band.channel);
  const learned = view && view.detents.length === view.positions ? view : null;
  const set = (change: Partial<Band>) =>
    edit((document) => {
      write(document, { ...band, ...change });
      return document;
    });
  return (
    <Box role="group" aria-label={`Band of ${name}`} sx={{ display: "flex", alignItems: "center", gap: 1 }}>
      <Box component="b" sx={{ width: 64 }}>
        {name}
      </Box>
      <TextField
        select
        label="Channel"
        value={band.channel}
        onChange={(event) => set({ channel: Number(event.target.value) })}
        sx={{ width: 118 }}
      >
        {channels.map(({ channel, source }) => (
          <MenuItem key={channel} value={channel}>
            CH{channel} · {source}
          </MenuItem>
        ))}
        {!channels.some(({ channel }) => channel === band.channel) && <MenuItem value={band.channel}>CH{band.channel}</MenuItem>}
      </TextField>
      <NumberField label="From" value={band.low} unit="us" min={800} max={Math.min(2200, band.high - 1)} onCommit={(low) => set({ low })} />
      <NumberField label="To" value={band.high} unit="us" min={Math.max(800, band.low + 1)} max={2200} onCommit={(high) => set({ high })} />
      <Box component="span" sx={{ fontSize: 12.5, color: "text.secondary" }}>
        {learned ? "hold at" : "flip the switch to learn its detents"}
      </Box>
      {learned?.around.map(([low, high], index) => (
        <Button
          key={PLACES[learned.positions]?.[index]}
          variant="outlined"
          aria-pressed={band.low === low && band.high === high}
          onClick={() => set({ low: low ?? band.low, high: high ?? band.high })}
          sx={{ minWidth: 0, py: 0.1 }}
        >
          {PLACES[learned.positions]?.[index]}
        </Button>
      ))}
      <Button
        variant="text"
        color="inherit"
        sx={{ color: colours.softInk, fontWeight: 500 }}
        onClick={() =>
          edit((document) => {
            write(document, null);
            return document;
          })
        }
        aria-label={`Take the band of ${name} away`}
      >
        take away
      </Button>
    </Box>
  );
}
