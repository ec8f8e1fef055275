import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import type { Transmitter, TransmitterSetup } from "../../api/types";
import { colours } from "../../look/colours";
import { NumberField } from "../../look/NumberField";
import { Pick } from "../../look/Pick";
import { STICK_AXES, type Write } from "./memory";

const PLACES: Record<number, string[]> = { 2: ["low", "high"], 3: ["low", "mid", "high"] };
const AXES = STICK_AXES.map((axis) => ({ value: axis, text: axis as string }));

const MOST_MIXES = 24;

/** What one source adds to another's channel. */
export function Mixes({ setup, switches, write }: { setup: TransmitterSetup; switches: Transmitter["switches"]; write: Write }) {
  const sources = [...AXES.map(({ text }) => text), ...switches.map(({ name }) => name)].map((value) => ({ value, text: value }));
  const channels = setup.channels.map((_, index) => ({ value: index + 1, text: `CH${index + 1}` }));
  return (
    <List
      title="Mixes"
      empty="None, as it should be: the board mixes by itself."
      add="Add a mix"
      full={setup.mixes.length >= MOST_MIXES}
      onAdd={() => write((target) => (target.mixes = [...target.mixes, { to: 2, source: "aileron", percent: 20 }]))}
    >
      {setup.mixes.map((mix, index) => {
        const set = (change: Partial<typeof mix>) =>
          write((target) => {
            const at = target.mixes?.[index];
            if (at) Object.assign(at, change);
          });
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a mix has no other name than its place
          <Row key={index} name={`mix ${index + 1}`} onDrop={() => write((target) => void target.mixes?.splice(index, 1))}>
            <NumberField
              label={`Percent of mix ${index + 1}`}
              bare
              value={mix.percent}
              unit="%"
              min={-150}
              max={150}
              width={92}
              onCommit={(percent) => set({ percent })}
            />
            <span>of</span>
            <Pick
              label={`Source of mix ${index + 1}`}
              bare
              value={mix.source}
              options={sources}
              width={112}
              onPick={(source) => set({ source })}
            />
            <span>on</span>
            <Pick label={`Channel of mix ${index + 1}`} bare value={mix.to} options={channels} width={84} onPick={(to) => set({ to })} />
          </Row>
        );
      })}
    </List>
  );
}

/** What makes a stick smaller or softer, always or in one position of a switch. */
export function Rates({ setup, switches, write }: { setup: TransmitterSetup; switches: Transmitter["switches"]; write: Write }) {
  const when = [
    { value: "", text: "always" },
    ...switches.flatMap(({ name, positions }) =>
      (PLACES[positions] ?? []).map((place, position) => ({ value: `${name}>${position}`, text: `${name} ${place}` })),
    ),
  ];
  return (
    <List
      title="Rates"
      empty="None: every stick gives its whole travel, straight."
      heads={[
        { text: "stick", width: 106 },
        { text: "travel", width: 80 },
        { text: "softness", width: 80 },
        { text: "when", width: 110 },
      ]}
      add="Add a rate"
      onAdd={() =>
        write((target) => (target.rates = [...target.rates, { axis: "aileron", percent: 70, expo_percent: 0, switch: "", position: 0 }]))
      }
    >
      {setup.rates.map((rate, index) => {
        const set = (change: Partial<typeof rate>) =>
          write((target) => {
            const at = target.rates?.[index];
            if (at) Object.assign(at, change);
          });
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a rate has no other name than its place
          <Row key={index} name={`rate ${index + 1}`} onDrop={() => write((target) => void target.rates?.splice(index, 1))}>
            <Pick label={`Axis of rate ${index + 1}`} bare value={rate.axis} options={AXES} width={106} onPick={(axis) => set({ axis })} />
            <NumberField
              label={`Travel of rate ${index + 1}`}
              bare
              value={rate.percent}
              unit="%"
              min={0}
              max={150}
              width={80}
              onCommit={(percent) => set({ percent })}
            />
            <NumberField
              label={`Softness of rate ${index + 1}`}
              bare
              value={rate.expo_percent}
              unit="%"
              min={-100}
              max={100}
              width={80}
              onCommit={(expo_percent) => set({ expo_percent })}
            />
            <Pick
              label={`When rate ${index + 1} is on`}
              bare
              value={rate.switch ? `${rate.switch}>${rate.position}` : ""}
              options={when}
              width={110}
              onPick={(chosen) => {
                const [name = "", position = "0"] = chosen.split(">");
                set({ switch: name, position: Number(position) });
              }}
            />
          </Row>
        );
      })}
    </List>
  );
}

function List({
  title,
  empty,
  add,
  full = false,
  heads = [],
  onAdd,
  children,
}: {
  title: string;
  empty: string;
  add: string;
  full?: boolean;
  heads?: { text: string; width: number }[];
  onAdd: () => void;
  children: ReactNode[];
}) {
  return (
    <Box component="section" aria-label={title} sx={{ fontSize: 13 }}>
      <Box sx={{ display: "flex", alignItems: "center", mb: 0.5 }}>
        <Box component="h3" sx={{ m: 0, fontSize: 12.5, fontWeight: 600, color: "text.secondary", flex: 1 }}>
          {title}
        </Box>
        <Button variant="text" onClick={onAdd} disabled={full}>
          {full ? "The memory is full" : add}
        </Button>
      </Box>
      {children.length > 0 && (
        <Box sx={{ display: "flex", gap: 0.75, fontSize: 12, color: "text.secondary" }}>
          {heads.map(({ text, width }) => (
            <span key={text} style={{ width }}>
              {text}
            </span>
          ))}
        </Box>
      )}
      {children.length > 0 ? children : <Box sx={{ color: "text.secondary" }}>{empty}</Box>}
    </Box>
  );
}

function Row({ name, onDrop, children }: { name: string; onDrop: () => void; children: ReactNode }) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 0.75, mb: 0.5 }}>
      {children}
      <Button
        variant="text"
        color="inherit"
        onClick={onDrop}
        aria-label={`Remove ${name}`}
        sx={{ minWidth: 0, px: 0.75, color: colours.softInk, fontWeight: 500, whiteSpace: "nowrap" }}
      >
        Remove
      </Button>
    </Box>
  );
}
