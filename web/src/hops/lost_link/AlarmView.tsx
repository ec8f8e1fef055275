import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, taken } from "../../api/client";
import type { Craft, Flight, Told } from "../../api/types";
import { doAct, sendHands, useBenchStore } from "../../bench/useBench";
import { FileRow, HandIn } from "../../craft/HandIn";
import type { HopProps } from "../../craft/hopProps";
import { RoomUsed } from "../../craft/RoomUsed";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { NumberField } from "../../look/NumberField";
import { Panel } from "../../look/Panel";
import { Pick } from "../../look/Pick";
import { Problem } from "../../look/Problem";
import { MOST_MB } from "../../look/uploadFile";
import { AlarmPlot, CALLED, fine, inWords, UNITS } from "./AlarmPlot";
import { type Roles, useAlarm } from "./useAlarm";

type LostTold = NonNullable<Told["lost_link"]>;
const MARGINS = { rssi_dbm: 6, rssi_percent: 10, lq_percent: 10 } as const;
const ROLES = {
  time: "time",
  rssi: "RSSI",
  lq: "link quality",
  lost: "frames lost",
  expected: "frames expected",
  received: "frames received",
  distance: "distance",
  latitude: "latitude",
  longitude: "longitude",
} as const;
/** Where loss begins, from a flight's log; and the line at which to be warned. */
export function AlarmView({ craft, told, edit, onBack }: { craft: Craft; told: LostTold; edit: HopProps["edit"]; onBack: () => void }) {
  const [opened, open] = useState<Flight | null>(null);
  return (
    <>
      <HopHead title="Alarm line" question="Where does loss begin, and when will you be warned?">
        <Box sx={{ display: "flex", gap: 1 }}>
          {opened && (
            <Button variant="outlined" onClick={() => open(null)}>
              Logs
            </Button>
          )}
          <Button variant="outlined" onClick={onBack}>
            Back to the lost link
          </Button>
        </Box>
      </HopHead>
      {opened ? <Log key={opened.id} log={opened} craft={craft} edit={edit} /> : <Logs craft={craft} told={told} onOpen={open} />}
    </>
  );
}

function Logs({ craft, told, onOpen }: { craft: Craft; told: LostTold; onOpen: (log: Flight) => void }) {
  const queries = useQueryClient();
  const list = useQuery({
    queryKey: ["flights", craft.id],
    refetchOnMount: "always",
    queryFn: () => taken<Flight[]>(api.GET("/api/crafts/{craft_id}/flights", { params: { path: { craft_id: craft.id } } })),
  });
  const again = () => {
    void queries.invalidateQueries({ queryKey: ["room", craft.workshop_id] });
    return queries.invalidateQueries({ queryKey: ["flights", craft.id] });
  };
  const drop = useMutation({
    mutationFn: (id: string) => taken(api.DELETE("/api/recordings/{recording_id}", { params: { path: { recording_id: id } } })),
    onSuccess: again,
  });
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <HandIn<Flight>
        url={`/api/crafts/${craft.id}/flights`}
        accept=".csv,.txt,.tlog"
        label="Choose a log"
        testId="flight-file"
        onMade={(made) => {
          void again();
          onOpen(made);
        }}
      >
        or drop it here: a flight's log as .csv with headings (RSSI or link quality, and frames lost), or MAVLink telemetry as .tlog, up to{" "}
        {MOST_MB} MB
      </HandIn>
      <RoomUsed workshopId={craft.workshop_id} />
      <Problem text={(drop.error ?? list.error)?.message ?? ""} />
      <Outing told={told} onKept={() => void again()} />
      <Box component="ul" aria-label="Flights' logs" sx={{ listStyle: "none", p: 0, m: 0 }}>
        {list.data?.length === 0 && <li>No log yet. Hand one in, or fly one on the bench.</li>}
        {list.data?.map((each) => (
          <FileRow
            key={each.id}
            file={each}
            from={each.heard_from === "stand-in" ? "flown on the bench" : "from a file"}
            onOpen={() => onOpen(each)}
            onRemove={() => drop.mutate(each.id)}
          />
        ))}
      </Box>
    </Box>
  );
}

/** A flight on the bench: out at an even pace, every frame logged. */
function Outing({ told, onKept }: { told: LostTold; onKept: () => void }) {
  const [chosen, setMetres] = useState<number | null>(null);
  const linked = useBenchStore((state) => state.live?.linked ?? false);
  const metres = chosen ?? Number((1.6 * (told.reach_m ?? 2000)).toPrecision(2));
  const [seconds, setSeconds] = useState(60);
  const [says, say] = useState("");
  const flown = told.outing;
  return (
    <Panel title="Fly one on the bench" aside="simulated: the link budget, shadows and bursts of this kit">
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <NumberField label="Out to" value={metres} unit="m" min={20} max={3000000} onCommit={setMetres} />
        <NumberField label="in" value={seconds} unit="s" min={5} max={600} onCommit={setSeconds} />
        <Button variant="outlined" disabled={!linked} onClick={() => sendHands({ fly_out: { to_m: metres, seconds } })}>
          Fly out
        </Button>
        {!linked && !flown && <span>The link does not stand: see Bind first.</span>}
        {flown && (
          <span role="status">
            {flown.done ? "Flown" : "Flying"}: {flown.distance_m} m out, {flown.frames} frames, {flown.lost} lost
            {flown.done ? "" : `, ${Math.round(flown.seconds - flown.t)} s to go`}
          </span>
        )}
        {flown?.done && (
          <Button
            variant="contained"
            onClick={async () => {
              const answer = await doAct("keep flight");
              say(answer.ok ? "" : answer.text);
              if (answer.ok) {
                sendHands({ distance_m: 2 });
                onKept();
              }
            }}
          >
            Keep its log
          </Button>
        )}
      </Box>
      <Problem text={says} />
    </Panel>
  );
}

function Log({ log, craft, edit }: { log: Flight; craft: Craft; edit: HopProps["edit"] }) {
  const queries = useQueryClient();
  const [margin, setMargin] = useState<number | null>(null);
  const [roles, setRoles] = useState<Roles | null>(null);
  const [kept, keep] = useState(log.kept);
  const reading = useAlarm(log.id, margin, roles);
  const { found } = reading.found ?? { found: null };
  const noise = reading.found?.noise_db ?? null;
  const quiet = reading.found?.sensitivity_dbm ?? null;
  const byGrace = reading.found?.lq_by_grace ?? null;
  const line = found && found.signal === "lq_percent" && byGrace !== null ? Math.max(byGrace, found.alarm_line ?? 0) : found?.alarm_line;
  const inUse = craft.document.alarm;
  const known = roles ?? reading.roles;
  return (
    <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr)" }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, flexWrap: "wrap" }}>
        <Box component="span" sx={{ fontWeight: 600 }}>
          {log.name}
        </Box>
        {!reading.error && reading.progress < 1 && (
          <Box role="status" sx={{ display: "flex", alignItems: "center", gap: 1 }}>
            <LinearProgress variant="determinate" value={100 * reading.progress} sx={{ width: 160 }} />
            {reading.says}, {Math.round(100 * reading.progress)} %
            <Button variant="outlined" onClick={reading.stop}>
              Stop
            </Button>
          </Box>
        )}
        {!kept && (
          <Button
            variant="text"
            sx={{ ml: "auto" }}
            onClick={async () => {
              await taken(
                api.PATCH("/api/recordings/{recording_id}", { params: { path: { recording_id: log.id } }, body: { kept: true } }),
              );
              keep(true);
              void queries.invalidateQueries({ queryKey: ["flights", craft.id] });
            }}
          >
            Keep it with the craft
          </Button>
        )}
      </Box>
      <Problem text={reading.error ?? ""} />
      {found && (
        <Panel title={inWords(found)} aside={`${found.rows.toLocaleString()} rows, ${found.losses} frames lost`}>
          <AlarmPlot found={found} />
          <Box sx={{ display: "flex", gap: 2, alignItems: "center", flexWrap: "wrap", mt: 1 }}>
            <NumberField
              label="Margin"
              value={margin ?? MARGINS[found.signal]}
              unit={found.signal === "rssi_dbm" ? "dB" : "points"}
              min={0}
              max={60}
              onCommit={setMargin}
            />
            {found.range_factor !== null && (
              <Box sx={{ fontSize: 13.5, maxWidth: 420 }}>
                The alarm comes at <b>{Math.round(100 * found.range_factor)} %</b> of the way to where loss begins (the signal falls with
                the power {found.exponent} of the distance).
              </Box>
            )}
            {found.signal === "lq_percent" && byGrace !== null && (
              <Box sx={{ fontSize: 13.5, maxWidth: 420 }}>
                Below <b>{byGrace} %</b> a gap outlasts the grace oftener than once in 1,000 minutes; the higher of the two lines counts.
              </Box>
            )}
            {line !== null && line !== undefined && found.begins_at !== null && (
              <Button
                variant="contained"
                sx={{ ml: "auto" }}
                onClick={() =>
                  edit((document) => ({
                    ...document,
                    alarm: { signal: found.signal, begins_at: found.begins_at ?? 0, only_a_bound: found.only_a_bound, line, log: log.name },
                  }))
                }
              >
                Take {fine(line)} {UNITS[found.signal]} as the alarm line
              </Button>
            )}
          </Box>
          {noise !== null && Math.abs(noise) >= 2 && (
            <Box sx={{ fontSize: 13.5, mt: 1 }}>
              {noise > 0
                ? `Loss begins ${noise} dB above what the receiver understands in quiet air (${quiet} dBm): so much noise was about, or its antenna hears so much less.`
                : `Loss begins ${-noise} dB below what the receiver is said to understand (${quiet} dBm): its RSSI reads low by so much.`}
            </Box>
          )}
          {inUse && (
            <Box sx={{ fontSize: 13, color: colours.verdigris, mt: 1 }}>
              This craft's alarm line: {CALLED[inUse.signal]} {fine(inUse.line)} {UNITS[inUse.signal]}
              {inUse.log && `, from ${inUse.log}`}. The link budget at Bind shows it.
            </Box>
          )}
          {found.says.length > 0 && (
            <Box component="ul" aria-label="What the log says besides" sx={{ m: 0, mt: 1, pl: 2.5, fontSize: 13, color: "text.secondary" }}>
              {found.says.map((each) => (
                <li key={each}>{each}</li>
              ))}
            </Box>
          )}
        </Panel>
      )}
      {reading.heads.length > 0 && (
        <Panel title="Columns" aside="taken by their names; correct them where they are others">
          <Box sx={{ display: "flex", gap: 1.25, flexWrap: "wrap" }}>
            {(Object.keys(ROLES) as (keyof typeof ROLES)[]).map((role) => (
              <Pick
                key={role}
                label={ROLES[role]}
                width={150}
                value={known[role] ?? -1}
                options={[
                  { value: -1, text: "none" },
                  ...reading.heads.map((head, index) => ({ value: index, text: head || `column ${index + 1}` })),
                ]}
                onPick={(column) => {
                  const { [role]: _, ...rest } = known;
                  setRoles(column < 0 ? rest : { ...rest, [role]: column });
                }}
              />
            ))}
          </Box>
        </Panel>
      )}
    </Box>
  );
}
