import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { cookie, Problem } from "../../api/client";
import type { Capture } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { FrameStrip } from "./FrameStrip";
import { Big, Card } from "./LineHop";

const MOST_MB = 64;

/** Send the file and say how far it is; the browser's fetch tells no upload progress. */
function upload(file: File, line: string, onProgress: (share: number) => void): { done: Promise<Capture>; stop: () => void } {
  const request = new XMLHttpRequest();
  const done = new Promise<Capture>((resolve, reject) => {
    request.open("POST", "/api/captures");
    request.setRequestHeader("X-CSRFToken", cookie("csrftoken"));
    request.responseType = "json";
    request.upload.onprogress = (event) => onProgress(event.loaded / event.total);
    request.onload = () =>
      request.status === 200
        ? resolve(request.response as Capture)
        : reject(new Problem(request.status, request.response?.detail ?? `the server answered ${request.status}`));
    request.onerror = () => reject(new Problem(0, "the upload broke off; is ./bell still running?"));
    request.onabort = () => reject(new Problem(0, "stopped"));
    const form = new FormData();
    form.append("file", file);
    if (line) form.append("line", line);
    request.send(form);
  });
  return { done, stop: () => request.abort() };
}

export function CaptureView({ onBack }: { onBack: () => void }) {
  const [file, setFile] = useState<File | null>(null);
  const [share, setShare] = useState(0);
  const picker = useRef<HTMLInputElement>(null);
  const running = useRef<(() => void) | null>(null);
  const read = useMutation({
    mutationFn: ({ chosen, line }: { chosen: File; line: string }) => {
      if (chosen.size > MOST_MB << 20)
        throw new Problem(
          413,
          `${chosen.name} is larger than ${MOST_MB} MB, the most that is taken; cut the capture to the stretch you need`,
        );
      setShare(0);
      const { done, stop } = upload(chosen, line, setShare);
      running.current = stop;
      return done;
    },
  });
  const take = (chosen: File | undefined | null) => {
    if (!chosen) return;
    setFile(chosen);
    read.mutate({ chosen, line: "" });
  };
  return (
    <>
      <HopHead title="Line" question="What is in this capture?">
        <Button variant="outlined" onClick={onBack}>
          Back to the live line
        </Button>
      </HopHead>
      <Box
        onDragOver={(event) => event.preventDefault()}
        onDrop={(event) => {
          event.preventDefault();
          take(event.dataTransfer.files[0]);
        }}
        sx={{
          border: `1px dashed ${colours.tarnish}`,
          borderRadius: 1.25,
          p: 2,
          display: "flex",
          alignItems: "center",
          gap: 2,
          mb: 2,
          bgcolor: "background.paper",
        }}
      >
        <input
          ref={picker}
          type="file"
          accept=".vcd,.csv,.bin"
          hidden
          data-testid="capture-file"
          onChange={(event) => take(event.target.files?.[0])}
        />
        <Button variant="contained" onClick={() => picker.current?.click()}>
          Choose a file
        </Button>
        <span>or drop it here: a logic analyser's .vcd, a table .csv of time_s,level, or raw bytes .bin, up to {MOST_MB} MB</span>
        {read.isPending && (
          <>
            <span role="status">{share < 1 ? `sending, ${Math.round(share * 100)} %` : "decoding…"}</span>
            <Button variant="outlined" onClick={() => running.current?.()}>
              Stop
            </Button>
          </>
        )}
      </Box>
      {read.error && (
        <Box role="alert" sx={{ p: 1.5, bgcolor: colours.oxideWash, color: colours.oxide, borderRadius: 1 }}>
          {read.error.message}
        </Box>
      )}
      {read.data && file && <Found capture={read.data} onLine={(line) => read.mutate({ chosen: file, line })} />}
    </>
  );
}

function Found({ capture, onLine }: { capture: Capture; onLine: (line: string) => void }) {
  const { summary, line } = capture;
  const whole = summary.frames + summary.bad_frames > 0 ? Math.round((100 * summary.frames) / (summary.frames + summary.bad_frames)) : 0;
  const channels = capture.frames.filter((frame) => frame.kind === "channels");
  const telemetry = capture.frames.filter((frame) => frame.kind === "telemetry");
  const seconds = summary.duration_s === null ? "" : ` in ${summary.duration_s.toFixed(2)} s`;
  return (
    <Box sx={{ display: "grid", gap: 1.75 }}>
      <Card title={capture.name} edge={line.protocol ? colours.verdigris : colours.tarnish}>
        <Box sx={{ display: "flex", gap: 2, alignItems: "center" }}>
          <Big>
            {line.protocol
              ? `${line.protocol}: ${summary.frames} good frames${seconds}, ${summary.bad_frames} damaged`
              : "no frame of a known protocol"}
          </Big>
          {capture.lines.length > 1 && (
            <TextField
              select
              label="Line"
              value={capture.chosen_line}
              onChange={(event) => onLine(event.target.value)}
              sx={{ minWidth: 150, ml: "auto" }}
            >
              {capture.lines.map((each) => (
                <MenuItem key={each} value={each}>
                  {each}
                </MenuItem>
              ))}
            </TextField>
          )}
        </Box>
        <span>
          {line.baud
            ? `${line.baud} baud, ${line.data_bits}${line.parity?.charAt(0).toUpperCase()}${line.stop_bits}, ${line.inverted ? "inverted" : "not inverted"} · `
            : ""}
          {summary.bytes} bytes, {summary.framing_errors} framing and {summary.parity_errors} parity errors
          {line.protocol ? ` · ${whole} % of frames whole` : ""}
        </span>
        <span>{capture.why.join(" ")}</span>
      </Card>
      {capture.marks && <FrameStrip marks={capture.marks} />}
      {channels.length > 0 && (
        <Box
          sx={{ overflow: "auto", maxHeight: 320, border: 1, borderColor: "divider", bgcolor: "background.paper" }}
          tabIndex={0}
          role="region"
          aria-label="Frames"
        >
          <Box
            component="table"
            sx={{
              borderCollapse: "collapse",
              fontFamily: mono,
              fontSize: 11.5,
              width: "100%",
              "& td, & th": { px: 0.5, py: 0.25, textAlign: "right", borderBottom: `1px solid ${colours.hairline}` },
              "& th": { position: "sticky", top: 0, bgcolor: colours.bench, fontWeight: 500 },
            }}
          >
            <thead>
              <tr>
                <th>t, s</th>
                {channels[0]?.channels?.map((_, index) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a channel is its number
                  <th key={index}>CH{index + 1}</th>
                ))}
                <th>flags</th>
              </tr>
            </thead>
            <tbody>
              {channels.slice(0, 200).map((frame, row) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: frames have no other name
                <tr key={row}>
                  <td>{frame.t === null ? "–" : frame.t.toFixed(4)}</td>
                  {frame.channels?.map((us, index) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: a channel is its number
                    <td key={index}>{us.toFixed(1)}</td>
                  ))}
                  <td>{frame.failsafe ? "failsafe" : frame.frame_lost ? "lost" : ""}</td>
                </tr>
              ))}
            </tbody>
          </Box>
        </Box>
      )}
      {telemetry.length > 0 && (
        <Box
          component="ul"
          sx={{ fontFamily: mono, fontSize: 12.5, m: 0, pl: 2, maxHeight: 180, overflow: "auto" }}
          tabIndex={0}
          aria-label="Telemetry"
        >
          {telemetry.slice(0, 100).map((frame, row) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: frames have no other name
            <li key={row}>
              {frame.t === null ? "" : `${frame.t.toFixed(4)} s `}
              {frame.sensor}: {JSON.stringify(frame.values)}
            </li>
          ))}
        </Box>
      )}
    </Box>
  );
}
