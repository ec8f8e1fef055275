import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";
import type { Report } from "../../api/types";
import { useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/CraftPage";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { CaptureView } from "./CaptureView";
import { FrameStrip } from "./FrameStrip";
import { WavePicture } from "./WavePicture";

const percent = (share: number) => `${Math.round(share * 100)} %`;
const spaced = (value: number) => Math.round(value).toLocaleString("en").replaceAll(",", " ");

export function LineHop({ parts }: HopProps) {
  const [fromFile, setFromFile] = useState(false);
  if (fromFile) return <CaptureView onBack={() => setFromFile(false)} />;
  return (
    <>
      <HopHead title="Line" question="What is on the receiver's wire, and can the port read it?">
        <Button variant="outlined" onClick={() => setFromFile(true)}>
          Open a capture file
        </Button>
      </HopHead>
      <LiveLine receiver={parts.receiver.name} />
    </>
  );
}

function LiveLine({ receiver }: { receiver: string }) {
  const line = useBenchStore((state) => state.report?.line);
  const board = useBenchStore((state) => state.live?.board);
  const edges = useBenchStore((state) => state.live?.edges_per_s ?? 0);
  const marks = useBenchStore((state) => state.live?.marks ?? "");
  if (!line || !board) return <p>Listening…</p>;
  const changes = line.would_read.filter((way) => way.changes.length > 0);
  const reads = board.good_per_s > 0 && line.port_good_share >= 0.95;
  return (
    <Box sx={{ display: "grid", gap: 1.75 }}>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1.5 }}>
        <Card
          title={
            line.wire_pad ? `On the wire from the ${receiver} to ${line.wire_pad}` : `On the wire from the ${receiver}, which goes nowhere`
          }
          edge={line.protocol ? colours.verdigris : colours.tarnish}
        >
          {edges === 0 ? (
            <>
              <Big>nothing: no edges</Big>
              <span>the line rests {line.idle ?? "somewhere"}</span>
            </>
          ) : (
            <>
              <Big>
                {line.protocol ? `${line.protocol}, ${Math.round(line.frames_per_s ?? 0)} frames a second` : "bytes of no known protocol"}
              </Big>
              <span title={line.why.join(" ")}>
                idle {line.idle}, {line.measured_baud ? `${spaced(line.measured_baud)} baud measured` : "no baud to measure"}
                {line.framing ? `, ${line.framing}` : ""} · {percent(line.good_share)} of frames whole
              </span>
            </>
          )}
        </Card>
        <Card
          title={line.port ? `Port ${line.port} samples ${line.port_pad ?? "no pad"} as` : "The board's port"}
          edge={reads ? colours.verdigris : colours.oxide}
        >
          <Big tone={reads ? undefined : colours.oxide}>{line.port_says}</Big>
          <span>
            {board.good_per_s} of {board.good_per_s + board.bad_per_s} frames a second whole, {spaced(board.errors_per_s)} byte errors,{" "}
            {spaced(board.bytes_per_s)} bytes a second
          </span>
          {changes.length > 0 && (
            <Box component="span" sx={{ color: colours.verdigris }}>
              <b>What would read it:</b>{" "}
              {changes
                .map((way) => `${way.protocol}, ${way.inverted ? "inverted" : "not inverted"} (tried: ${percent(way.good_share)} whole)`)
                .join("; ")}
            </Box>
          )}
        </Card>
      </Box>
      {line.wave ? (
        <WavePicture wave={line.wave} caption={caption(line, reads)} port={line.port} />
      ) : (
        <Quiet>No burst on the wire to draw.</Quiet>
      )}
      <section aria-label="Last second">
        <Box component="h3" sx={{ m: 0, mb: 0.5, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
          The last second at the port, a mark a frame
        </Box>
        <FrameStrip marks={marks} />
      </section>
    </Box>
  );
}

function caption(line: Report["line"], reads: boolean): string {
  if (!line.wave?.as_read.length) return "no port samples these levels";
  if (line.wire_pad !== line.port_pad)
    return `as port ${line.port} would read them: but they end on ${line.wire_pad ?? "no pad"}, and it listens on ${line.port_pad}`;
  return `as port ${line.port} samples the same levels${reads ? "" : ": not what was sent"}`;
}

export function Card({ title, edge, children }: { title: string; edge: string; children: ReactNode }) {
  return (
    <Box
      component="section"
      aria-label={title}
      sx={{
        bgcolor: "background.paper",
        border: `1px solid ${colours.hairline}`,
        borderTop: `3px solid ${edge}`,
        borderRadius: 1.25,
        px: 2,
        py: 1.25,
        display: "grid",
        gap: 0.25,
        alignContent: "start",
        color: "text.secondary",
        fontSize: 13.5,
      }}
    >
      <Box component="h3" sx={{ m: 0, fontSize: 12.5, fontWeight: 600 }}>
        {title}
      </Box>
      {children}
    </Box>
  );
}

export function Big({ children, tone }: { children: ReactNode; tone?: string }) {
  return <Box sx={{ fontSize: 17, fontWeight: 600, color: tone ?? colours.ink, lineHeight: 1.35 }}>{children}</Box>;
}

function Quiet({ children }: { children: ReactNode }) {
  return (
    <Box sx={{ border: `1px dashed ${colours.hairline}`, borderRadius: 1.25, p: 4, textAlign: "center", color: "text.secondary" }}>
      {children}
    </Box>
  );
}
