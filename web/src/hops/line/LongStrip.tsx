import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { memo, useCallback, useEffect, useRef } from "react";
import { colours, mono, solid } from "../../look/colours";
import { KINDS, type Kind, seconds } from "./kinds";
import { lowerBound, useDrawing, useStretch } from "./useStretch";

const TOP = 4;

interface Props {
  kinds: string;
  /** Of each frame, s; or its number where there are no times. */
  times: readonly number[];
  duration: number;
  selected: number | null;
  timed: boolean;
  onSelect: (index: number) => void;
  playing: boolean;
  onPlay: (() => void) | undefined;
}

/** All frames of a recording over time. A pixel shows the worst of the frames that fall on it. */
export function LongStrip({ kinds, times, duration, selected, timed, onSelect, playing, onPlay }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const whole = { start: 0, end: Math.max(duration, 1e-3) };
  const { span, zoom, show, handlers } = useStretch(whole, timed ? 0.01 : 20, whole, canvas);
  const pick = (t: number) => {
    const at = lowerBound(times, t);
    const before = at - 1;
    onSelect(before >= 0 && (at >= times.length || t < (times[at] as number)) ? before : at);
  };

  // biome-ignore lint/correctness/useExhaustiveDependencies: the strip follows the selection, not its own movement
  useEffect(() => {
    const t = selected === null ? undefined : times[selected];
    if (t !== undefined && (t < span.start || t > span.end)) show(t - (span.end - span.start) / 2, t + (span.end - span.start) / 2);
  }, [selected]);

  const draw = useCallback(
    (pen: CanvasRenderingContext2D, width: number) => {
      const across = span.end - span.start;
      const x = (t: number) => ((t - span.start) / across) * width;
      pen.fillStyle = solid(colours.bench);
      pen.fillRect(0, TOP - 2, width, 28);
      const first = Math.max(0, lowerBound(times, span.start) - 1);
      const last = lowerBound(times, span.end);
      const few = last - first < width / 3;
      let column = -1;
      let worst: Kind | null = null;
      const put = (at: number, kind: Kind, wide: number) => {
        pen.fillStyle = solid(KINDS[kind].ink);
        pen.fillRect(at, TOP + KINDS[kind].top, wide, KINDS[kind].height);
      };
      for (let index = first; index < last; index++) {
        const kind = kinds[index] as Kind;
        const at = x(times[index] as number);
        if (few) {
          const until = index + 1 < times.length ? x(times[index + 1] as number) : at + 12;
          put(at, kind, Math.max(1, Math.min(14, (until - at) * 0.72)));
        } else if (Math.floor(at) !== column) {
          if (worst) put(column, worst, 1);
          column = Math.floor(at);
          worst = kind;
        } else if (worst === null || KINDS[kind].rank > KINDS[worst].rank) worst = kind;
      }
      if (!few && worst) put(column, worst, 1);
      const at = selected === null ? undefined : times[selected];
      if (at !== undefined) {
        pen.strokeStyle = solid(colours.ink);
        pen.lineWidth = 1.5;
        pen.strokeRect(Math.max(1, x(at) - 2), TOP - 3, few ? 14 : 5, 30);
      }
      pen.fillStyle = solid(colours.softInk);
      pen.font = `11px ${mono}`;
      for (let mark = 0; mark <= 6; mark++) {
        const t = span.start + (mark / 6) * across;
        pen.textAlign = mark === 0 ? "left" : mark === 6 ? "right" : "center";
        pen.fillText(timed ? seconds(t, across) : `${Math.round(t)}`, (mark / 6) * width, TOP + 42);
      }
    },
    [kinds, times, span, selected, timed],
  );
  useDrawing(canvas, draw);
  const all = useCallback(() => show(0, whole.end), [show, whole.end]);
  return (
    <Box>
      <Tools kinds={kinds} selected={selected} timed={timed} playing={playing} onPlay={onPlay} onSelect={onSelect} zoom={zoom} all={all} />
      <canvas
        ref={canvas}
        tabIndex={0}
        role="img"
        aria-label={`Strip of ${kinds.length} frames. Arrow keys move, plus and minus zoom, comma and full stop step from frame to frame.`}
        style={{ width: "100%", height: 50, display: "block", touchAction: "none", cursor: "crosshair" }}
        {...handlers(pick)}
        onKeyDown={(event) => {
          if (event.key === "." || event.key === ",") {
            event.preventDefault();
            const to = (selected ?? -1) + (event.key === "." ? 1 : -1);
            if (to >= 0 && to < kinds.length) onSelect(to);
            return;
          }
          handlers(pick).onKeyDown(event);
        }}
        data-span={`${span.start.toFixed(4)} ${span.end.toFixed(4)}`}
      />
    </Box>
  );
}

interface ToolProps extends Pick<Props, "kinds" | "selected" | "timed" | "playing" | "onPlay" | "onSelect"> {
  zoom: (by: number) => void;
  all: () => void;
}

/** What stands above the strip; it is not drawn anew while the strip moves. */
const Tools = memo(function Tools({ kinds, selected, timed, playing, onPlay, onSelect, zoom, all }: ToolProps) {
  let nextBad: number | null = null;
  for (let index = (selected ?? -1) + 1; index < kinds.length && nextBad === null; index++)
    if ("blf".includes(kinds[index] as string)) nextBad = index;
  return (
    <Box sx={{ display: "flex", gap: 1, mb: 0.5, alignItems: "center", fontSize: 12.5, color: "text.secondary" }}>
      <span title="Drag or wheel to move and zoom; click a frame to lay it open">
        Frames over {timed ? "time" : "their number"}: drag, wheel, click
      </span>
      <Box sx={{ flex: 1 }} />
      {onPlay && (
        <Button variant="text" onClick={onPlay}>
          {playing ? "Stop the replay" : "Replay from here"}
        </Button>
      )}
      <Button variant="text" disabled={nextBad === null} onClick={() => nextBad !== null && onSelect(nextBad)}>
        Next that is not good
      </Button>
      <Button variant="text" aria-label="Zoom in" onClick={() => zoom(0.4)}>
        +
      </Button>
      <Button variant="text" aria-label="Zoom out" onClick={() => zoom(2.5)}>
        –
      </Button>
      <Button variant="text" onClick={all}>
        All
      </Button>
    </Box>
  );
});
