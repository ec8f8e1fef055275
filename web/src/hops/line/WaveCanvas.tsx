import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, taken } from "../../api/client";
import type { FrameView, ReadingView, WindowView } from "../../api/types";
import { colours, mono, solid } from "../../look/colours";
import { hex, seconds } from "./kinds";
import { type Span, useDrawing, useStretch } from "./useStretch";

const HIGH = 14;
const LOW = 52;
const HEIGHT = 122;
type ByteOf = WindowView["bytes"][number];

interface Props {
  recording: string;
  line: string;
  /** Of the draft, whose port reads along. */
  version: number;
  reading: ReadingView;
  /** What to show first, and again whenever it changes: the selected frame. */
  focus: Span;
  frame: FrameView | undefined;
}

/** The levels of a line, with bit boundaries and bytes, as far in as you like. What lies beside the picture is fetched ahead. */
export function WaveCanvas({ recording, line, version, reading, focus, frame }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const whole = { start: 0, end: reading.duration_s ?? 1 };
  const bit = reading.bit_s ?? 1e-4;
  const { span, zoom, show, handlers } = useStretch(whole, 4 * bit, focus, canvas);
  const held = useWindow(recording, line, version, span, whole);
  useEffect(() => show(focus.start, focus.end), [focus.start, focus.end, show]);

  const draw = useCallback(
    (pen: CanvasRenderingContext2D, width: number) => {
      const across = span.end - span.start;
      const x = (t: number) => ((t - span.start) / across) * width;
      if (held) {
        const byte = reading.byte_s ?? 0;
        if (byte) drawBytes(pen, held.bytes, x, byte, bit, width);
        drawLevels(pen, held, x, width);
        if (!byte && frame) drawPulses(pen, frame, x);
        if (byte) {
          caption(pen, "as sent", 78);
          labels(pen, held.bytes, x, byte, 78);
          caption(pen, "port reads", 98);
          labels(pen, held.port_bytes, x, byte, 98);
        }
      }
      pen.fillStyle = solid(colours.softInk);
      pen.font = `11px ${mono}`;
      for (let mark = 0; mark <= 5; mark++) {
        pen.textAlign = mark === 0 ? "left" : mark === 5 ? "right" : "center";
        pen.fillText(seconds(span.start + (mark / 5) * across, across), (mark / 5) * width, HEIGHT - 3);
      }
    },
    [span, held, reading.byte_s, bit, frame],
  );
  useDrawing(canvas, draw);
  return (
    <Box sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.25, px: 1.5, pt: 0.75, pb: 0.5 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: 12.5, color: "text.secondary" }}>
        <span>Waveform{held?.busy ? ": too much to draw line by line; zoom in" : ""}</span>
        <Box sx={{ flex: 1 }} />
        <Button variant="text" aria-label="Zoom into the waveform" onClick={() => zoom(0.4)}>
          +
        </Button>
        <Button variant="text" aria-label="Zoom out of the waveform" onClick={() => zoom(2.5)}>
          –
        </Button>
        {frame && (
          <Button variant="text" onClick={() => show(focus.start, focus.end)}>
            This frame
          </Button>
        )}
      </Box>
      <canvas
        ref={canvas}
        tabIndex={0}
        role="img"
        aria-label={`Waveform from ${seconds(span.start, span.end - span.start)} to ${seconds(span.end, span.end - span.start)}. Arrow keys move, plus and minus zoom.`}
        style={{ width: "100%", height: HEIGHT, display: "block", touchAction: "none", cursor: "grab" }}
        data-toggles={held?.toggles.length ?? -1}
        {...handlers()}
      />
    </Box>
  );
}

/** The levels around a span: three times as wide, so that moving about needs no waiting; the last answer stays until the next is there. */
function useWindow(recording: string, line: string, version: number, span: Span, whole: Span): WindowView | null {
  const [{ held, of }, setHeld] = useState<{ held: WindowView | null; of: number }>({ held: null, of: version });
  const size = span.end - span.start;
  const enough =
    held !== null &&
    of === version &&
    held.start <= Math.max(whole.start, span.start - size * 0.2) &&
    held.end >= Math.min(whole.end, span.end + size * 0.2) &&
    held.end - held.start < size * 8 &&
    !(held.busy && held.end - held.start > size * 3.5);
  // biome-ignore lint/correctness/useExhaustiveDependencies: asked anew when what is held no longer reaches
  useEffect(() => {
    if (enough) return;
    const stop = new AbortController();
    const wait = window.setTimeout(() => {
      const query = { line, start: Math.max(whole.start, span.start - size), end: Math.min(whole.end, span.end + size), port: true };
      taken<{ window: WindowView }>(
        api.GET("/api/recordings/{recording_id}/window", { params: { path: { recording_id: recording }, query }, signal: stop.signal }),
      )
        .then((answer) => setHeld({ held: answer.window, of: version }))
        .catch(() => undefined);
    }, 40);
    return () => {
      window.clearTimeout(wait);
      stop.abort();
    };
  }, [enough, recording, line, version, span.start, span.end]);
  return held;
}

function drawBytes(pen: CanvasRenderingContext2D, bytes: ByteOf[], x: (t: number) => number, byte: number, bit: number, width: number) {
  const bits = Math.round(byte / bit);
  const wide = x(byte) - x(0);
  if (wide < 6) return;
  bytes.forEach((each, index) => {
    const left = x(each.t);
    if (left > width || left + wide < 0) return;
    if (index % 2 === 0) {
      pen.fillStyle = solid(colours.bench);
      pen.fillRect(left, 6, wide, LOW);
    }
    if (wide / bits < 4) return;
    pen.strokeStyle = solid(colours.tarnish);
    pen.lineWidth = 1;
    for (let place = 0; place <= bits; place++) {
      const at = Math.round(left + (place * wide) / bits) + 0.5;
      pen.beginPath();
      pen.moveTo(at, LOW + 4);
      pen.lineTo(at, LOW + (place % bits === 0 ? 11 : 8));
      pen.stroke();
    }
  });
}

function drawLevels(pen: CanvasRenderingContext2D, held: WindowView, x: (t: number) => number, width: number) {
  pen.strokeStyle = solid(colours.ink);
  pen.fillStyle = solid(colours.ink);
  pen.lineWidth = 1.6;
  if (held.busy) {
    const step = (held.end - held.start) / held.busy.length;
    held.busy.forEach((much, index) => {
      const left = x(held.start + index * step);
      if (left > width || left < -4) return;
      pen.globalAlpha = much === 0 ? 1 : 0.35 + much * 0.06;
      pen.fillRect(left, much === 0 ? LOW : HIGH, Math.max(0.6, x(step) - x(0)), much === 0 ? 1.4 : LOW - HIGH);
    });
    pen.globalAlpha = 1;
    return;
  }
  pen.beginPath();
  let level = held.level;
  pen.moveTo(x(held.start), level ? HIGH : LOW);
  for (const toggle of held.toggles) {
    const at = x(toggle);
    pen.lineTo(at, level ? HIGH : LOW);
    level = level ? 0 : 1;
    pen.lineTo(at, level ? HIGH : LOW);
  }
  pen.lineTo(x(held.end), level ? HIGH : LOW);
  pen.stroke();
}

/** The channels of a frame of pulses, each under the stretch of line that carries it. */
function drawPulses(pen: CanvasRenderingContext2D, frame: FrameView, x: (t: number) => number) {
  let t = frame.t ?? 0;
  pen.textAlign = "center";
  pen.fillStyle = solid(colours.verdigris);
  frame.channels.forEach((us, place) => {
    const [left, right] = [x(t), x(t + us * 1e-6)];
    t += us * 1e-6;
    if (right - left < 44) return;
    pen.font = `11px ${mono}`;
    pen.fillText(`CH${frame.numbers[place]}`, (left + right) / 2, LOW + 18);
    pen.font = `500 12.5px ${mono}`;
    pen.fillText(us.toFixed(0), (left + right) / 2, LOW + 34);
  });
}

function caption(pen: CanvasRenderingContext2D, text: string, y: number) {
  pen.font = '11px "Figtree Variable", sans-serif';
  pen.textAlign = "left";
  pen.fillStyle = solid(colours.softInk);
  pen.fillText(text, 0, y - 1);
}

function labels(pen: CanvasRenderingContext2D, bytes: ByteOf[], x: (t: number) => number, byte: number, y: number) {
  const wide = x(byte) - x(0);
  if (wide < 17) return;
  pen.font = `500 12.5px ${mono}`;
  pen.textAlign = "center";
  for (const each of bytes) {
    const at = x(each.t) + wide / 2;
    pen.fillStyle = solid(colours.raised);
    pen.fillRect(at - 11, y - 11, each.wrong ? 26 : 22, 14);
    pen.fillStyle = solid(each.wrong ? colours.oxide : colours.verdigris);
    pen.fillText(hex(each.value) + (each.wrong ? "!" : ""), at, y);
  }
}
