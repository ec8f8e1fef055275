import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ListSubheader from "@mui/material/ListSubheader";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Band, CraftDocument, ModeBand, SwitchView } from "../../api/types";
import { useBenchStore, useSteady } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { NumberField } from "../../look/NumberField";
import { ArmingPanel } from "./ArmingPanel";
import { Ruler } from "./Ruler";
import { TruthTable } from "./TruthTable";

const KINDS = ["what the sticks mean", "where it stays", "helpers"] as const;
const QUIET = { color: colours.softInk, fontWeight: 500, whiteSpace: "nowrap", px: 0.5 } as const;

interface NamedBand {
  name: string;
  path: string;
  band: Band;
  /** Changes it in a draft, which may have gone on since it was drawn; null takes it away. */
  write: (document: CraftDocument, change: Partial<Band> | null) => void;
}

function bandsOf(document: CraftDocument): NamedBand[] {
  const { arming, modes } = document.settings;
  const named: NamedBand[] = [];
  if (arming && document.settings.arm_by !== "stick")
    named.push({
      name: "arm",
      path: "/settings/arming",
      band: arming,
      write: (target, change) => {
        target.settings.arming = change && { ...arming, ...target.settings.arming, ...change };
      },
    });
  modes.forEach((mode, index) => {
    named.push({
      name: mode.mode,
      path: `/settings/modes/${index}`,
      band: mode,
      write: (target, change) => {
        const list = [...target.settings.modes];
        const now = list[index];
        if (now?.mode !== mode.mode) return; // somebody took it away meanwhile
        if (change) list[index] = { ...now, ...change };
        else list.splice(index, 1);
        target.settings.modes = list;
      },
    });
  });
  return named;
}

export function SwitchboardHop({ craft, parts, edit }: HopProps) {
  const told = useSteady((state) => state.report?.told.switchboard ?? null);
  const version = useBenchStore((state) => state.report?.draft_version);
  const listening = useBenchStore((state) => state.live !== null);
  if (!told || !listening) return <p>Listening…</p>;
  const { switches, suggestion, modes, table } = told;
  const bands = bandsOf(craft.document);
  const switchChannels = craft.document.transmitter.channels
    .map((channel, index) => ({ channel: index + 1, source: channel.source }))
    .filter(({ source }) => parts.transmitter.switches.some((each) => each.name === source));
  const current = version === craft.version;
  const start = (name: string) =>
    edit((document) => {
      const first = name === "arm" ? switchChannels[0] : switchChannels[1];
      const band = { channel: first?.channel ?? 5, low: 1750, high: 2150 };
      if (name === "arm") document.settings.arming = band;
      else document.settings.modes = [...document.settings.modes, { ...band, mode: name as ModeBand["mode"] }];
      return document;
    });
  return (
    <>
      <HopHead
        title="Switchboard"
        question="What does each switch position do? Flip every switch through its positions; each resting value is learned as you flip."
      >
        {suggestion.edits.length > 0 && (
          <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
            <Box component="span" sx={{ fontSize: 12.5, color: "text.secondary" }}>
              {suggestion.better
                ? `least clearance ${suggestion.clear?.toFixed(0)} us instead of ${suggestion.clear_now?.toFixed(0)}`
                : `least clearance ${suggestion.clear?.toFixed(0)} us as now, gaps shared evenly`}
            </Box>
            <Button
              variant={suggestion.better ? "contained" : "outlined"}
              disabled={!current}
              onClick={() => edit(suggestion.edits, version)}
            >
              Re-space mode bands
            </Button>
          </Box>
        )}
      </HopHead>
      <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 2, rowGap: 1, alignItems: "flex-start" }}>
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", maxWidth: "100%" }}>
          {switches.map((view) => (
            <Ruler
              key={view.channel}
              view={view}
              scale={told.scale}
              onEdge={(band, edge, to) => edit([{ path: `${band.path}/${edge}`, value: to }], version)}
            />
          ))}
          {switches.length === 0 && (
            <Box sx={{ color: "text.secondary", p: 2, border: `1px dashed ${colours.hairline}` }}>
              No band listens to a switch yet. Start with arm, below.
            </Box>
          )}
        </Box>
        {table && (table.rows.length > 0 || table.too_many) ? (
          <Box sx={{ flex: "1 1 300px", minWidth: 0 }}>
            <TruthTable table={table} />
          </Box>
        ) : null}
      </Box>
      {switches.some((view) => view.bands.length > 0) && (
        <Box sx={{ fontSize: 12.5, color: "text.secondary" }}>
          The figure at a mode band's edge is its clearance: how far the nearest resting value of the switch is from it.
        </Box>
      )}
      {suggestion.why_not && bands.length > 0 && (
        <Box sx={{ fontSize: 12.5, color: "text.secondary" }}>Mode bands cannot be re-spaced: {suggestion.why_not}.</Box>
      )}
      <Box sx={{ mt: 1.5, display: "grid", gap: 1.25 }}>
        {bands.map((each) => (
          <BandLine key={each.path} named={each} views={switches} channels={switchChannels} step={parts.board.band_step_us} edit={edit} />
        ))}
        <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
          {!craft.document.settings.arming && craft.document.settings.arm_by !== "stick" && (
            <Button variant="contained" onClick={() => start("arm")}>
              Give arming a mode band
            </Button>
          )}
          <TextField select label="Add a mode" value="" onChange={(event) => start(event.target.value)} sx={{ width: 210 }}>
            {KINDS.flatMap((kind) => [
              <ListSubheader key={kind} sx={{ lineHeight: 2.4, fontWeight: 600, color: colours.slate }}>
                {kind}
              </ListSubheader>,
              ...modes
                .filter((mode) => mode.kind === kind)
                .map((mode) => (
                  <MenuItem key={mode.name} value={mode.name} disabled={Boolean(mode.lacks)}>
                    <Box sx={{ maxWidth: 460, whiteSpace: "normal" }}>
                      <b>{mode.name}</b>{" "}
                      <Box component="span" sx={{ color: "text.secondary", fontSize: 12.5 }}>
                        {mode.does}
                        {mode.needs && `; needs ${mode.needs}`}
                      </Box>{" "}
                      {mode.lacks && (
                        <Box component="span" sx={{ color: colours.oxide, fontSize: 12.5 }}>
                          {mode.lacks}
                        </Box>
                      )}
                    </Box>
                  </MenuItem>
                )),
            ])}
          </TextField>
          <Box component="span" sx={{ fontSize: 12.5, color: "text.secondary" }}>
            {told.by_default}
          </Box>
        </Box>
        <ArmingPanel craft={craft} edit={edit} />
      </Box>
    </>
  );
}

function BandLine({
  named,
  views,
  channels,
  step,
  edit,
}: {
  named: NamedBand;
  views: SwitchView[];
  channels: { channel: number; source: string }[];
  step: number;
  edit: HopProps["edit"];
}) {
  const { band, name, write } = named;
  const view = views.find((each) => each.channel === band.channel);
  const set = (change: Partial<Band>) =>
    edit((document) => {
      write(document, change);
      return document;
    });
  const onAt = view?.bands.find((each) => each.path === named.path)?.on_at.join();
  const [exact, setExact] = useState(false);
  return (
    <Box role="group" aria-label={`Mode band of ${name}`} sx={{ display: "flex", alignItems: "center", gap: 1, flexWrap: "wrap" }}>
      <Box component="b" sx={{ width: 84, flex: "none", lineHeight: 1.2 }}>
        {name}
      </Box>
      <Box component="span" sx={{ fontSize: 12.5, color: "text.secondary", whiteSpace: "nowrap" }}>
        {view?.measured ? "on at" : view ? "on at (expected)" : "flip the switch to learn its detents"}
      </Box>
      {view?.runs.map(({ places, low, high }) => (
        <Button
          key={places.join()}
          variant={places.join() === onAt ? "contained" : "outlined"}
          aria-pressed={places.join() === onAt}
          onClick={() => set({ low, high })}
          sx={{ minWidth: 0, px: 0.75, py: 0.1 }}
        >
          {places.length > 1 && places.length === view.positions ? "all" : places.join("+")}
        </Button>
      ))}
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
      {exact ? (
        <>
          <NumberField
            label="From"
            value={band.low}
            unit="us"
            step={step}
            min={800}
            max={Math.min(2200, band.high - 1)}
            onCommit={(low) => set({ low })}
          />
          <NumberField
            label="To"
            value={band.high}
            unit="us"
            step={step}
            min={Math.max(800, band.low + 1)}
            max={2200}
            onCommit={(high) => set({ high })}
          />
        </>
      ) : (
        <Button
          variant="text"
          color="inherit"
          sx={{ ...QUIET, fontFamily: mono }}
          aria-label={`Type exactly where ${name} begins and ends: ${band.low} to ${band.high} us`}
          onClick={() => setExact(true)}
        >
          {band.low}–{band.high} us, exact…
        </Button>
      )}
      <Button
        variant="text"
        color="inherit"
        sx={QUIET}
        onClick={() =>
          edit((document) => {
            write(document, null);
            return document;
          })
        }
        aria-label={`Remove the mode band of ${name}`}
      >
        Remove
      </Button>
    </Box>
  );
}
