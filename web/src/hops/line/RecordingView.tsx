import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, taken } from "../../api/client";
import type { Craft, PortComparison, ReadingView, Recording } from "../../api/types";
import type { HopProps } from "../../craft/hopProps";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { Problem } from "../../look/Problem";
import { columns } from "../../look/phone";
import { Big, Card } from "./Card";
import { FrameOpen, useFrame } from "./FrameOpen";
import { type Kind, percent, seconds, spaced } from "./kinds";
import { Legend } from "./Legend";
import { LongStrip } from "./LongStrip";
import { useReading } from "./useReading";
import { useReplay } from "./useReplay";
import { WaveCanvas } from "./WaveCanvas";

const FORMATS = ["vcd", "csv", "bin"] as const;

/** A recording: what is on it, whether the craft's port could read it, and each of its frames. */
export function RecordingView({
  recording,
  craft,
  edit,
  onBack,
  onList,
}: {
  recording: Recording;
  craft: Craft;
  edit: HopProps["edit"];
  onBack: () => void;
  onList: () => void;
}) {
  const [line, setLine] = useState("");
  const reading = useReading(recording.id, line);
  return (
    <>
      <HopHead title="Line" question="What is on this recording, and could the board read it?">
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button variant="outlined" onClick={onList}>
            Recordings
          </Button>
          <Button variant="outlined" onClick={onBack}>
            Back to the live line
          </Button>
        </Box>
      </HopHead>
      {!reading.view && !reading.error && (
        <Box role="status" sx={{ display: "grid", gap: 1, maxWidth: 520 }}>
          <span>
            Reading {recording.name}: {reading.says}, {Math.round(reading.progress * 100)} %
          </span>
          <LinearProgress variant="determinate" value={100 * reading.progress} />
          <Box>
            <Button variant="outlined" onClick={reading.stop}>
              Stop
            </Button>
          </Box>
        </Box>
      )}
      {reading.error && <Problem text={reading.error} />}
      {reading.view && (
        <Read
          key={`${recording.id} ${reading.view.line}`}
          recording={recording}
          view={reading.view}
          line={line}
          craft={craft}
          edit={edit}
          onLine={setLine}
        />
      )}
    </>
  );
}

interface ReadProps {
  recording: Recording;
  view: ReadingView;
  /** The line that was asked for; empty where the best understood one was chosen. */
  line: string;
  craft: Craft;
  edit: HopProps["edit"];
  onLine: (line: string) => void;
}

function Read({ recording, view, line, craft, edit, onLine }: ReadProps) {
  const port = usePort(recording.id, line, craft.version);
  const [selected, setSelected] = useState<number | null>(view.kinds.length > 0 ? 0 : null);
  const frame = useFrame(recording.id, line, selected);
  const replay = useReplay(view.timed ? view.times : null, selected, setSelected);
  const times = useMemo(() => (view.timed ? view.times : Array.from({ length: view.kinds.length }, (_, index) => index)), [view]);
  const shown = frame.data ?? undefined;
  const focus = useMemo(() => {
    const t = shown?.t ?? (view.timed ? firstEdge(view) : 0);
    const long = shown?.end && shown.t !== null ? shown.end - shown.t : 0.003;
    return { start: t - 0.06 * long, end: t + Math.min(long, (view.byte_s ?? long) * 10) * 1.08 };
  }, [shown, view]);
  useEffect(() => {
    if (selected !== null && selected >= view.kinds.length) setSelected(null);
  }, [selected, view.kinds.length]);
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 1.5 }}>
      <Box sx={{ display: "grid", gridTemplateColumns: columns("1fr 1fr"), gap: 1.5 }}>
        <What recording={recording} view={view} line={line} onLine={onLine} />
        <PortCard port={port.data} view={view} edit={edit} />
      </Box>
      {view.kinds.length > 0 && (
        <section aria-label="Frames">
          <LongStrip
            kinds={view.kinds}
            times={times}
            duration={view.timed ? (view.duration_s ?? 1) : view.kinds.length}
            timed={view.timed}
            selected={selected}
            onSelect={setSelected}
            playing={replay.playing}
            onPlay={view.timed ? replay.toggle : undefined}
          />
          <Legend counts={view.counts as Partial<Record<Kind, number>>} />
        </section>
      )}
      {view.timed && (view.duration_s ?? 0) > 0 && (
        <WaveCanvas recording={recording.id} line={line} version={craft.version} reading={view} focus={focus} frame={shown} />
      )}
      <Problem text={(frame.error ?? port.error)?.message ?? ""} />
      {shown && <FrameOpen frame={shown} reading={view} />}
    </Box>
  );
}

const firstEdge = (view: ReadingView) => view.times[0] ?? 0;

function What({ recording, view, line, onLine }: Pick<ReadProps, "recording" | "view" | "line" | "onLine">) {
  const all = view.frames + view.bad_frames;
  const wrong = view.framing_errors + view.parity_errors;
  const long = view.duration_s === null ? "" : ` in ${seconds(view.duration_s, view.duration_s)}`;
  return (
    <Card title={recording.name} edge={view.protocol ? colours.verdigris : colours.tarnish}>
      <Big>
        {view.protocol
          ? `${view.protocol}: ${view.frames} good frames${long}`
          : view.what === "unknown"
            ? "no frame of a known protocol"
            : view.what === "nothing"
              ? "nothing: no edges"
              : `${view.what}, not a receiver`}
      </Big>
      <span title={view.why.join(" ")}>
        {[
          view.protocol ? `${percent(all ? view.frames / all : 0)} whole` : "",
          view.timed && view.idle ? `idle ${view.idle}` : "",
          view.measured_baud ? `${spaced(view.measured_baud)} baud measured` : "",
          view.timed && view.framing ? view.framing : "",
          wrong > 0 ? `${wrong} byte errors` : "",
        ]
          .filter(Boolean)
          .join(", ")}
      </span>
      {!view.protocol && <span>{view.why.join(" ")}</span>}
      {view.notes.map((note) => (
        <span key={note}>Note: {note}.</span>
      ))}
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", mt: 0.5 }}>
        {view.lines.length > 1 && (
          <TextField select label="Line" value={view.line} onChange={(event) => onLine(event.target.value)} sx={{ minWidth: 130 }}>
            {view.lines.map((each) => (
              <MenuItem key={each} value={each}>
                {each}
              </MenuItem>
            ))}
          </TextField>
        )}
        <Keep recording={recording} />
        <Box component="span" sx={{ ml: 1, whiteSpace: "nowrap" }}>
          Save as
        </Box>
        {FORMATS.map((format) => (
          <Button
            key={format}
            variant="text"
            component="a"
            sx={{ minWidth: 0, px: 0.75 }}
            aria-label={`Save as ${format.toUpperCase()}`}
            href={`/api/recordings/${recording.id}/file.${format}?line=${encodeURIComponent(line)}`}
            download
            disabled={(format !== "bin" && !view.timed) || (format === "bin" && view.bytes === 0)}
          >
            {format === "bin" ? "raw bytes" : format.toUpperCase()}
          </Button>
        ))}
      </Box>
    </Card>
  );
}

function Keep({ recording }: { recording: Recording }) {
  const queries = useQueryClient();
  const [kept, setKept] = useState(recording.kept);
  const keep = useMutation({
    mutationFn: (wanted: boolean) =>
      taken<Recording>(
        api.PATCH("/api/recordings/{recording_id}", { params: { path: { recording_id: recording.id } }, body: { kept: wanted } }),
      ),
    onSuccess: (now) => {
      setKept(now.kept);
      void queries.invalidateQueries({ queryKey: ["recordings"] });
    },
  });
  return (
    <>
      <Button
        variant={kept ? "outlined" : "contained"}
        onClick={() => keep.mutate(!kept)}
        disabled={keep.isPending}
        sx={{ whiteSpace: "nowrap" }}
      >
        {kept ? "Kept with the craft" : "Keep with the craft"}
      </Button>
      {keep.error && <span role="alert">{keep.error.message}</span>}
    </>
  );
}

/** What the craft's receiver port would read of it, as the newest draft sets it; asked anew when the draft changes. */
function usePort(recording: string, line: string, version: number) {
  return useQuery({
    queryKey: ["recording's port", recording, line, version],
    placeholderData: keepPreviousData,
    queryFn: async () => {
      const asked = { params: { path: { recording_id: recording }, query: { line } } };
      return (await taken<{ port: PortComparison }>(api.GET("/api/recordings/{recording_id}/port", asked))).port;
    },
  });
}

function PortCard({ port, view, edit }: { port: PortComparison | undefined; view: ReadingView; edit: HopProps["edit"] }) {
  if (!port)
    return (
      <Card title="The craft's receiver port" edge={colours.tarnish}>
        asking…
      </Card>
    );
  const apart = !view.timed
    ? "Bytes without their levels: inversion and baud cannot be compared."
    : !view.is_receiver
      ? view.protocol
        ? `${view.protocol} is telemetry: the receiver port has nothing to read of it.`
        : "There are no channels here to read."
      : "";
  if (apart)
    return (
      <Card title="The craft's receiver port" edge={colours.tarnish}>
        <Big>{port.says}</Big>
        <span>{apart}</span>
      </Card>
    );
  const changes = port.would_read.filter((way) => way.changes.length > 0);
  return (
    <Card title="The craft's port, as the draft sets it" edge={port.fits ? colours.verdigris : colours.oxide}>
      <Big tone={port.fits ? undefined : colours.oxide}>{port.says}</Big>
      <span>{port.fits ? `would read it: ${percent(port.reads)} of the first second's frames whole` : "would read no frame of it"}</span>
      {!port.fits &&
        changes.slice(0, 3).map((way) => (
          <Box key={way.changes.join()} sx={{ display: "flex", alignItems: "center", gap: 1, color: colours.verdigris }}>
            <span>
              <b>What would read it:</b> {way.changes.join(" and ")} (tried: {percent(way.good_share)} whole)
            </span>
            <Button
              variant="outlined"
              sx={{ whiteSpace: "nowrap", flexShrink: 0 }}
              onClick={() =>
                edit(Object.entries(way.settings).map(([name, value]) => ({ path: `/settings/receiver_input/${name}`, value })))
              }
            >
              Set the port so
            </Button>
          </Box>
        ))}
      {!port.fits && changes.length === 0 && <span>No setting of a receiver port reads it.</span>}
    </Card>
  );
}
