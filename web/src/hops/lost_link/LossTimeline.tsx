import Box from "@mui/material/Box";
import type { Told } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { WidePicture } from "../../look/WidePicture";

const W = 860;
const X0 = 96;
const X1 = 846;

interface Mark {
  at: number | null | undefined;
  text: string;
}

/** Predicted above, measured below, both from the last radio frame on. */
export function LossTimeline({
  prediction,
  run,
  now,
  response,
}: {
  prediction: NonNullable<Told["lost_link"]>["prediction"];
  run: NonNullable<Told["lost_link"]>["loss"];
  now: number;
  response: string;
}) {
  const since = (t: number | null | undefined) => (run && t !== null && t !== undefined ? t - run.radio_silent_t : null);
  const acts = response === "land" ? "begins to land" : "motors off";
  const predicted: Mark[] = [
    { at: prediction.last_frame_s, text: "last frame" },
    { at: prediction.reacts_s, text: acts },
    ...(response === "land" || prediction.reacts_s === null ? [{ at: prediction.motors_stop_s, text: "motors stop" }] : []),
    { at: prediction.hidden && prediction.motors_stop_s === null ? prediction.fooled_s : null, text: "taken for a link again" },
  ];
  const measured: Mark[] = [
    { at: run?.fooled_t ? null : since(run?.last_frame_t), text: "last frame" }, // frames that pass for a link never cease
    { at: since(run?.reacted_t), text: acts },
    ...(response === "land" || !run?.reacted_t ? [{ at: since(run?.motors_stopped_t), text: "motors stop" }] : []),
    { at: since(run?.fooled_t), text: "still taken for good" },
    { at: since(run?.back_t), text: "link back" },
  ];
  const running = run?.state === "running" && run.back_t === null;
  const elapsed = running && run ? now - run.radio_silent_t : 0;
  const latest = Math.max(1.2, (prediction.motors_stop_s ?? 0) * 1.25, ...measured.map((mark) => (mark.at ?? 0) * 1.12), elapsed * 1.05);
  const x = (s: number) => X0 + (Math.max(0, s) / latest) * (X1 - X0);
  const step = [0.1, 0.2, 0.5, 1, 2, 5, 10, 30, 60].find((each) => latest / each <= 10) ?? 120;
  const ticks = Array.from({ length: Math.floor(latest / step) + 1 }, (_, index) => index * step);
  const end = running ? elapsed : Math.max(0, ...measured.map((mark) => mark.at ?? 0));
  const hidden = prediction.hidden && prediction.motors_stop_s === null;
  return (
    <Box sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.25, px: 1.5, py: 1 }}>
      <WidePicture name="Timeline" least={640}>
        <svg
          viewBox={`0 0 ${W} 192`}
          width="100%"
          role="img"
          aria-label={describe(predicted, measured, hidden)}
          style={{ display: "block", fontFamily: '"Figtree Variable", sans-serif' }}
        >
          <text x={8} y={56} fontSize={12.5} fontWeight={600} fill={colours.slate}>
            predicted
          </text>
          <text x={8} y={132} fontSize={12.5} fontWeight={600} fill={colours.copperText}>
            measured
          </text>
          {ticks.map((tick) => (
            <g key={tick}>
              <line x1={x(tick)} x2={x(tick)} y1={20} y2={166} stroke={colours.hairline} />
              <text x={x(tick)} y={182} textAnchor="middle" fontSize={11} fontFamily={mono} fill={colours.softInk}>
                {tick.toFixed(step < 1 ? 1 : 0)} s
              </text>
            </g>
          ))}
          <text x={X0} y={13} fontSize={11.5} fill={colours.softInk} textAnchor="middle">
            radio silent
          </text>
          <line x1={X0} x2={X0} y1={18} y2={166} stroke={colours.ink} strokeWidth={1.5} />
          <Lane
            y={52}
            marks={predicted}
            x={x}
            end={hidden ? latest : (prediction.motors_stop_s ?? 0)}
            ink={colours.slate}
            dashed={hidden}
          />
          {hidden && (
            <text x={X0 + 12} y={44} fontSize={12.5} fontWeight={600} fill={colours.oxide}>
              the receiver hides the loss: the board never learns of it
            </text>
          )}
          {run ? (
            <Lane y={128} marks={measured} x={x} end={end} ink={colours.copper} />
          ) : (
            <text x={X0 + 12} y={132} fontSize={12.5} fill={colours.softInk}>
              no loss seen with these settings yet
            </text>
          )}
        </svg>
      </WidePicture>
    </Box>
  );
}

function Lane({
  y,
  marks,
  x,
  end,
  ink,
  dashed = false,
}: {
  y: number;
  marks: Mark[];
  x: (s: number) => number;
  end: number;
  ink: string;
  dashed?: boolean;
}) {
  const there = marks.filter((mark): mark is { at: number; text: string } => mark.at !== null && mark.at !== undefined);
  const placed = place(there.map((mark) => ({ x: x(mark.at), text: `${mark.text} ${mark.at.toFixed(2)}` })));
  return (
    <g>
      <line x1={x(0)} x2={x(end)} y1={y} y2={y} stroke={ink} strokeWidth={3} strokeDasharray={dashed ? "6 5" : undefined} />
      {there.map((mark, index) => (
        <g key={mark.text}>
          <path d={`M${x(mark.at)} ${y - 9}l7 9l-7 9l-7 -9z`} fill={ink} />
          <text x={placed[index]?.x} y={y + (placed[index]?.dy ?? 0)} fontSize={12} fill={colours.ink}>
            {mark.text} <tspan fontFamily={mono}>{mark.at.toFixed(2)}</tspan>
          </text>
        </g>
      ))}
    </g>
  );
}

const LETTER = 7; // units of the drawing, of a mean letter with room about it
const ROWS = [-14, 24, -27]; // above, below, higher above

/** Where each label stands: centred on its mark where there is room, kept inside, and in the first row in which it overprints no other. */
function place(labels: { x: number; text: string }[]): { x: number; dy: number }[] {
  const ends = ROWS.map(() => Number.NEGATIVE_INFINITY);
  return labels.map((label) => {
    const width = label.text.length * LETTER;
    const left = Math.max(X0 - 24, Math.min(label.x - width / 2, X1 - width));
    const free = ends.findIndex((end) => end <= left);
    const row = free < 0 ? ends.indexOf(Math.min(...ends)) : free;
    const at = Math.max(left, free < 0 ? (ends[row] ?? left) : left);
    ends[row] = at + width;
    return { x: at, dy: ROWS[row] ?? 0 };
  });
}

function describe(predicted: Mark[], measured: Mark[], hidden: boolean): string {
  const say = (marks: Mark[]) =>
    marks
      .filter((mark) => mark.at !== null && mark.at !== undefined)
      .map((mark) => `${mark.text} after ${mark.at?.toFixed(2)} s`)
      .join(", ");
  return `Predicted: ${hidden ? "the board never learns of the loss" : say(predicted)}. Measured: ${say(measured) || "nothing yet"}.`;
}
