import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ComponentProps, type ReactNode, useCallback, useState } from "react";
import { useSearchParams } from "react-router";
import type { Recording, Told } from "../../api/types";
import { doAct, sendHands, useBenchStore, useSteady } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { Panel } from "../../look/Panel";
import { Problem } from "../../look/Problem";
import { columns } from "../../look/phone";
import { Big, Card } from "./Card";
import { FrameStrip } from "./FrameStrip";
import { percent, spaced, told } from "./kinds";
import { Recordings } from "./Recordings";
import { RecordingView } from "./RecordingView";
import { recordingOf } from "./recordingOf";
import { TapView } from "./TapView";
import { WavePicture } from "./WavePicture";

type Line = NonNullable<Told["line"]>;
export function LineHop({ craft, parts, edit }: HopProps) {
  const queries = useQueryClient();
  const [asked, setAsked] = useSearchParams(); // what is looked at stands in the address, so that Back leads back to it
  const open = useCallback(
    (recording: Recording) => {
      queries.setQueryData(["recording", recording.id], recording);
      setAsked({ recording: recording.id });
    },
    [queries, setAsked],
  );
  const back = useCallback(() => setAsked({}), [setAsked]);
  const list = useCallback(() => setAsked({ look: "recordings" }), [setAsked]);
  const [trouble, setTrouble] = useState("");
  const [keeping, setKeeping] = useState(false);
  const recording = asked.get("recording");
  if (recording) return <OneRecording id={recording} craft={craft} edit={edit} onBack={back} onList={list} />;
  if (asked.get("look") === "recordings")
    return <Recordings craftId={craft.id} workshopId={craft.workshop_id} onOpen={open} onBack={back} />;
  if (asked.get("look") === "serial line") return <TapView craftId={craft.id} onOpen={open} onBack={back} />;
  const keep = async () => {
    setKeeping(true);
    const answer = await doAct("keep line");
    setKeeping(false);
    if (!answer.ok || !answer.recording) return setTrouble(answer.text);
    setTrouble("");
    try {
      open(await recordingOf(answer.recording));
    } catch (error) {
      setTrouble((error as Error).message);
    }
  };
  return (
    <>
      <HopHead title="Line" question="What is on the wire, and can the port read it?">
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button variant="outlined" onClick={keep} disabled={keeping}>
            {keeping ? "Recording the last 10 s…" : "Record the last 10 s"}
          </Button>
          <Button variant="outlined" onClick={list}>
            Recordings
          </Button>
          <Button variant="outlined" onClick={() => setAsked({ look: "serial line" })}>
            Listen to a serial line
          </Button>
        </Box>
      </HopHead>
      <Problem text={trouble} />
      <LiveLine craft={craft} parts={parts} edit={edit} />
    </>
  );
}

/** A recording by the id in the address. */
function OneRecording({ id, ...props }: { id: string } & Omit<ComponentProps<typeof RecordingView>, "recording">) {
  const recording = useQuery({ queryKey: ["recording", id], queryFn: () => recordingOf(id), staleTime: 60_000 });
  if (recording.data) return <RecordingView key={id} recording={recording.data} {...props} />;
  return (
    <>
      <HopHead title="Line" question="Which recording do you want to open?">
        <Button variant="outlined" onClick={props.onList}>
          Recordings
        </Button>
      </HopHead>
      {recording.error ? <Problem text={recording.error.message} /> : <p>Fetching the recording…</p>}
    </>
  );
}

function LiveLine({ craft, parts, edit }: HopProps) {
  const line = useSteady((state) => state.report?.told.line ?? null);
  const board = useBenchStore((state) => state.live?.board);
  const edges = useBenchStore((state) => state.live?.edges_per_s ?? 0);
  const marks = useBenchStore((state) => state.live?.marks ?? "");
  if (!line || !board) return <p>Listening…</p>;
  const carries = line.wires.find((wire) => wire.pin === line.tap)?.carries;
  const onChannels = carries === "channels" || carries === "both";
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 1.75 }}>
      {line.wires.length > 1 && <TapChoice line={line} />}
      <Box sx={{ display: "grid", gridTemplateColumns: columns("1fr 1fr"), gap: 1.5 }}>
        <OnTheWire line={line} receiver={parts.receiver.name} alive={edges > 0 || !onChannels} />
        {line.device ? (
          <Card title={`What ${line.device.port ?? "the board"} makes of it`} edge={line.device.reads ? colours.verdigris : colours.oxide}>
            <span>{line.device.says}</span>
          </Card>
        ) : carries === "telemetry" && line.home ? (
          <Card title="What the receiver makes of it" edge={line.home.reads ? colours.verdigris : colours.oxide}>
            <span>{line.home.says}</span>
          </Card>
        ) : (
          <PortCard line={line} board={board} hears={edges > 0} />
        )}
      </Box>
      {line.wave ? <WavePicture wave={line.wave} caption={caption(line)} port={line.port} /> : <Quiet>No burst on the wire to draw.</Quiet>}
      <section aria-label="Last second">
        <Box component="h3" sx={{ m: 0, mb: 0.5, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
          The last second at the port, a mark a frame
        </Box>
        <FrameStrip marks={marks} />
      </section>
      <Box sx={{ display: "grid", gridTemplateColumns: columns(line.downlink.length > 0 ? "1fr 1fr" : "minmax(0, 1fr)"), gap: 1.5 }}>
        {line.worked_out && <PortSetting line={line} craft={craft} edit={edit} />}
        {line.downlink.length > 0 && <Downlink line={line} />}
      </Box>
    </Box>
  );
}

/** Which of the receiver's wires the tap listens to. */
function TapChoice({ line }: { line: Line }) {
  return (
    <ToggleButtonGroup
      exclusive
      size="small"
      value={line.tap}
      aria-label="Wire that the tap listens to"
      sx={{ flexWrap: "wrap" }}
      onChange={(_, pin: string | null) => pin && sendHands({ tap: pin })}
    >
      {line.wires.map((wire) => (
        <ToggleButton
          key={wire.pin}
          value={wire.pin}
          sx={{
            textTransform: "none",
            px: 1.5,
            py: 0.4,
            color: colours.ink,
            "&.Mui-selected": { bgcolor: colours.verdigrisWash, color: colours.ink },
          }}
        >
          {wire.pin} → {wire.pad ?? "nowhere"}
          <Box component="span" sx={{ color: "text.secondary", ml: 0.75, fontWeight: 400 }}>
            {wire.carries === "both" ? "both ways" : wire.carries}
          </Box>
        </ToggleButton>
      ))}
    </ToggleButtonGroup>
  );
}

function OnTheWire({ line, receiver, alive }: { line: Line; receiver: string; alive: boolean }) {
  const [pin, whose] = line.device ? [line.tap.split(": ")[1], line.device.device] : [line.tap, `the ${receiver}`];
  const where = line.wire_pad ? `from ${pin} of ${whose} to ${line.wire_pad}` : `from ${pin} of ${whose}, which goes nowhere`;
  const dead = line.what === "nothing" || !alive;
  return (
    <Card title={`On the wire ${where}`} edge={line.protocol ? colours.verdigris : colours.tarnish}>
      {dead ? (
        <>
          <Big>nothing: no edges</Big>
          <span>the line rests {line.idle ?? "somewhere"}</span>
        </>
      ) : (
        <>
          <Big>
            {line.protocol
              ? `${line.protocol}, ${Math.round(line.frames_per_s ?? 0)} ${line.protocol === "PWM" ? "pulses" : "frames"} a second`
              : named(line.what)}
          </Big>
          <span>
            idle {line.idle}
            {line.measured_baud ? `, ${spaced(line.measured_baud)} baud measured` : ""}
            {line.framing ? `, ${line.framing}` : ""} · {percent(line.good_share)} of frames whole
          </span>
          <details>
            <summary style={{ cursor: "pointer" }}>Why</summary>
            {line.why.map((sentence) => (
              <div key={sentence}>{sentence}</div>
            ))}
          </details>
        </>
      )}
    </Card>
  );
}

const named = (what: string) => (what === "unknown" ? "bytes of no known protocol" : `${what}, not a receiver`);

function PortCard({ line, board, hears }: { line: Line; board: BoardCounts; hears: boolean }) {
  const wrong = !line.port || (hears && !line.port_reads);
  const changes = line.would_read.filter((way) => way.changes.length > 0 || !way.possible);
  return (
    <Card title={portTitle(line)} edge={line.port_reads ? colours.verdigris : wrong ? colours.oxide : colours.tarnish}>
      <Big tone={wrong ? colours.oxide : undefined}>{line.port_says}</Big>
      <span>{arriving(line, board)}</span>
      {changes.slice(0, 2).map((way) => (
        <Box
          component="span"
          key={`${way.settings.protocol} ${way.settings.inverted}`}
          sx={{ color: way.possible ? colours.verdigris : colours.oxide }}
        >
          <b>What would read it:</b> {way.settings.protocol}
          {way.settings.inverted ? ", inverted" : ", not inverted"}
          {way.settings.half_duplex ? ", half duplex" : ""} (tried: {percent(way.good_share)} whole)
          {way.possible ? "" : `. But ${way.why_not}.`}
        </Box>
      ))}
    </Card>
  );
}
type BoardCounts = { good_per_s: number; bad_per_s: number; errors_per_s: number; bytes_per_s: number };

function portTitle(line: Line): string {
  if (!line.port) return "The board's port";
  return line.port === "inputs"
    ? `The board's inputs, ${line.port_pad} first, read`
    : `Port ${line.port} samples ${line.port_pad ?? "no pad"} as`;
}

function arriving(line: Line, board: BoardCounts): string {
  const frames = board.good_per_s + board.bad_per_s;
  if (frames + board.bytes_per_s === 0) return "nothing arrives there now";
  const whole = `${board.good_per_s} of ${frames} ${line.set_to.protocol === "PWM" ? "pulses" : "frames"} a second whole`;
  return line.port === "inputs"
    ? whole
    : `${whole}, ${spaced(board.errors_per_s)} byte errors, ${spaced(board.bytes_per_s)} bytes a second`;
}

const DUPLEX = { full: "full duplex, on RX", half: "half duplex, on TX" } as const;

/** How the port is set and why: worked out from parts and wire, with a hand on it where the pilot knows better. */
function PortSetting({ line, craft, edit }: { line: Line; craft: HopProps["craft"]; edit: HopProps["edit"] }) {
  const draft = craft.document.settings.receiver_input;
  const asked = line.worked_out?.settings;
  if (!draft || !asked) return null;
  const set = (change: Record<string, string | boolean | null>) =>
    edit(Object.entries(change).map(([name, value]) => ({ path: `/settings/receiver_input/${name}`, value })));
  const same = draft.protocol === asked.protocol && draft.inverted === asked.inverted && draft.half_duplex === asked.half_duplex;
  const waits =
    draft.inverted !== line.set_to.inverted || draft.half_duplex !== line.set_to.half_duplex || draft.protocol !== line.set_to.protocol;
  const pulses = line.port === "inputs";
  return (
    <Panel title="How the port is set, and why" aside={waits ? "the draft differs from the board: write it, then restart" : ""}>
      <Box sx={{ fontSize: 13.5, display: "grid", gap: 0.25, mb: 1 }}>
        {line.worked_out?.because.map((sentence) => (
          <span key={sentence}>{sentence}</span>
        ))}
      </Box>
      {!pulses && (
        <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
          <TextField
            select
            label="Inversion"
            value={draft.inverted ? "inverted" : "not inverted"}
            onChange={(event) => set({ inverted: event.target.value === "inverted" })}
            sx={{ width: 140 }}
          >
            <MenuItem value="inverted">inverted</MenuItem>
            <MenuItem value="not inverted">not inverted</MenuItem>
          </TextField>
          <TextField
            select
            label="Duplex"
            value={draft.half_duplex ? "half" : "full"}
            onChange={(event) => set({ half_duplex: event.target.value === "half" })}
            sx={{ width: 185 }}
          >
            {Object.entries(DUPLEX).map(([value, text]) => (
              <MenuItem key={value} value={value}>
                {text}
              </MenuItem>
            ))}
          </TextField>
          {same ? (
            <Box component="span" sx={{ fontSize: 12.5, color: "text.secondary" }}>
              as worked out
            </Box>
          ) : (
            <Button
              variant="contained"
              onClick={() => set({ protocol: asked.protocol, inverted: asked.inverted, half_duplex: asked.half_duplex })}
            >
              Set it as worked out
            </Button>
          )}
        </Box>
      )}
    </Panel>
  );
}

/** What the board tells the receiver, as the receiver heard it. */
function Downlink({ line }: { line: Line }) {
  return (
    <Panel title="Telemetry that the receiver hears">
      <Box component="dl" sx={{ m: 0, display: "grid", gridTemplateColumns: "auto 1fr", gap: "2px 14px", fontSize: 13.5 }}>
        {line.downlink.map((each) => (
          <Box key={each.sensor} sx={{ display: "contents" }}>
            <Box component="dt" sx={{ color: "text.secondary" }}>
              {each.sensor.replaceAll("_", " ")}
            </Box>
            <Box component="dd" className="mono" sx={{ m: 0 }}>
              {told(each.sensor, each.values)}
              {each.old_s !== null && (
                <Box component="span" sx={{ color: colours.copperText }}>
                  {" "}
                  {each.old_s} s old
                </Box>
              )}
            </Box>
          </Box>
        ))}
      </Box>
    </Panel>
  );
}

function caption(line: Line): string {
  if (!line.wave?.as_read.length) return line.wave?.pulses?.length ? "each pulse with its width" : "no port samples these levels";
  if (line.wire_pad !== line.port_pad)
    return `as port ${line.port} would read them: but they end on ${line.wire_pad ?? "no pad"}, and it listens on ${line.port_pad}`;
  return `as port ${line.port} samples the same levels${line.port_reads ? "" : ": not what was sent"}`;
}

function Quiet({ children }: { children: ReactNode }) {
  return (
    <Box sx={{ border: `1px dashed ${colours.hairline}`, borderRadius: 1.25, p: 4, textAlign: "center", color: "text.secondary" }}>
      {children}
    </Box>
  );
}
