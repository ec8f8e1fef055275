import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { ReactNode } from "react";
import type { KitView, Sensor } from "../../api/types";
import { useBenchStore } from "../../bench/useBench";
import type { DraftHopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { NumberField } from "../../look/NumberField";
import { Panel } from "../../look/Panel";
import { KitCheck } from "./KitCheck";

type Ability = KitView["ability"];

/** What the set can do, each line beside what you need. */
export function AbilityPanel({ craft, catalogue, edit, ability }: DraftHopProps & { ability: Ability }) {
  const { wants } = craft.document;
  const bench = useBenchStore((state) => state.report?.told.kit);
  const want = (change: Partial<typeof wants>) =>
    edit((document) => {
      document.wants = { ...document.wants, ...change };
      return document;
    });
  const air = ability.air;
  const enough = ability.channels === null || ability.channels === undefined ? null : ability.channels >= wants.channels;
  const regions = ability.regions;
  return (
    <Panel title="What this set can do" aside="You need">
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: { xs: "92px minmax(0, 1fr)", md: "92px minmax(0, 1fr) 132px" },
          "& > :nth-child(3n)": { gridColumn: { xs: 2, md: "auto" } },
          rowGap: 1.25,
          columnGap: 1.5,
          alignItems: "center",
          fontSize: 13.5,
        }}
      >
        <Line name="Over the air" good={air ? true : null}>
          {air ? `${air.name} on ${air.band}, firmware family ${air.family}` : "no link between transmitter and receiver"}
        </Line>
        <TextField
          select
          label="Region"
          value={wants.region ?? ""}
          onChange={(event) => want({ region: (event.target.value || null) as typeof wants.region })}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          <MenuItem value="">any</MenuItem>
          {catalogue.regions.map((each) => (
            <MenuItem key={each} value={each}>
              {each}
              {regions.includes(each) ? "" : " (not this set)"}
            </MenuItem>
          ))}
        </TextField>
        <Line name="Channels" good={enough}>
          {ability.channels ? (
            <>
              <Value>{ability.channels}</Value> arrive; the limit is {ability.channels_limit}
            </>
          ) : (
            "–"
          )}
        </Line>
        <NumberField
          label="Channels wanted"
          value={wants.channels}
          unit=""
          min={1}
          max={18}
          width={132}
          onCommit={(channels) => want({ channels })}
        />
        <Line name="On the wire" good={ability.protocol ? (ability.wire_protocols?.length ?? 0) > 0 : null}>
          {ability.protocol ? (
            <>
              <Value>{ability.protocol}</Value>, steps of {ability.step_us} us, a frame every {period(ability.period_ms)} ms
            </>
          ) : (
            "–"
          )}
        </Line>
        <span />
        <Line name="Telemetry" good={wants.telemetry ? !!ability.telemetry : null}>
          {ability.telemetry ?? (ability.protocol ? "none" : "–")}
        </Line>
        <KitCheck label="wanted" checked={wants.telemetry} onChange={(telemetry) => want({ telemetry })} />
        <Line name="Receiver's rail" good={null}>
          {ability.rails?.length ? ability.rails.join(", ") : "–"}
        </Line>
        <span />
      </Box>
      <Box component="h3" sx={{ fontSize: 12.5, fontWeight: 600, color: "text.secondary", m: 0, mt: 1.75, mb: 0.5 }}>
        Sensors: tick those that this craft must have{bench?.awake && "; what the board does not see is said"}
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: { xs: "minmax(0, 1fr)", md: "repeat(3, minmax(0, 1fr))" }, columnGap: 1 }}>
        {catalogue.sensors.map((each) => {
          const sensor = each as Sensor;
          const state = ability.sensors?.find((one) => one.sensor === sensor);
          const there = (state?.fitted_in.length ?? 0) > 0;
          const list = wants.sensors;
          const wanted = list.includes(sensor);
          const missing = wanted && !there && !!craft.document.kit.board;
          const unseen = there && bench?.awake === true && !bench.seen.includes(sensor);
          return (
            <Box
              key={sensor}
              sx={{
                "& .MuiFormControlLabel-label": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
                color: missing || (unseen && wanted) ? colours.oxide : there ? colours.ink : colours.softInk,
              }}
            >
              <KitCheck
                label={`${sensor}: ${there ? state?.fitted_in.join(", ") : missing ? "missing" : "not fitted"}${unseen ? ", not seen" : ""}`}
                checked={wanted}
                onChange={(to) => want({ sensors: to ? [...list, sensor] : list.filter((one) => one !== sensor) })}
              />
            </Box>
          );
        })}
      </Box>
    </Panel>
  );
}

function period(span: number[] | null | undefined): string {
  const [low, high] = span ?? [];
  return low === high ? `${low}` : `${low} to ${high}`;
}

function Value({ children }: { children: ReactNode }) {
  return (
    <Box component="span" sx={{ fontFamily: mono, fontWeight: 500 }}>
      {children}
    </Box>
  );
}

function Line({ name, good, children }: { name: string; good: boolean | null; children: ReactNode }) {
  return (
    <>
      <Box sx={{ color: "text.secondary" }}>{name}</Box>
      <Box sx={{ color: good === false ? colours.oxide : colours.ink }}>
        {good === false ? "✗ " : good ? "✓ " : ""}
        {children}
      </Box>
    </>
  );
}
