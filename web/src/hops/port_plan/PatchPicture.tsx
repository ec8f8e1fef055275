import type { KeyboardEvent } from "react";
import type { Job, Picture } from "../../api/types";
import { colours, mono } from "../../look/colours";

export type Chosen =
  | { kind: "device"; device: string }
  | { kind: "pad"; pad: string }
  | { kind: "pin"; device: string; pin: string }
  | null;

/** Devices, board and the signal wires between them. Devices, pins and pads are picked with mouse or keyboard. */
export function PatchPicture({
  picture,
  jobs,
  faulty,
  chosen,
  onChoose,
}: {
  picture: Picture;
  jobs: Record<string, Job>;
  faulty: (pad: string, port: string | null) => boolean;
  chosen: Chosen;
  onChoose: (chosen: Chosen) => void;
}) {
  const portOf = (pad: string) => picture.pads.find((each) => each.name === pad)?.port ?? null;
  const count = (pad: string) => picture.runs.filter((run) => run.pad === pad).length;
  const lit = (run: Picture["runs"][number]) =>
    (chosen?.kind === "device" && run.device === chosen.device) ||
    (chosen?.kind === "pad" && run.pad === chosen.pad) ||
    (chosen?.kind === "pin" && run.device === chosen.device && run.pin === chosen.pin);
  const button = (label: string, pressed: boolean, choose: () => void) => ({
    role: "button",
    tabIndex: 0,
    "aria-label": label,
    "aria-pressed": pressed,
    onClick: choose,
    onKeyDown: (event: KeyboardEvent) => {
      if (event.key === "Enter" || event.key === " ") {
        event.preventDefault();
        choose();
      }
    },
    style: { cursor: "pointer" },
  });
  const clashes = picture.pads.filter((pad) => count(pad.name) > 1);
  return (
    // biome-ignore lint/a11y/useSemanticElements: a fieldset cannot hold a drawing
    <svg
      viewBox={`0 0 ${picture.width} ${picture.height}`}
      width={picture.width}
      style={{ maxWidth: "100%", display: "block", fontFamily: '"Figtree Variable", sans-serif' }}
      role="group"
      aria-label="Devices, board and signal wires"
    >
      {picture.boxes.map((box) => {
        const board = box.kind === "board";
        const picked = chosen?.kind === "device" && chosen.device === box.name;
        const inside = (
          <>
            <rect
              x={box.x}
              y={box.y}
              width={box.w}
              height={box.h}
              rx={board ? 10 : 6}
              fill={picked ? colours.verdigrisWash : colours.raised}
              stroke={picked ? colours.verdigris : colours.ink}
              strokeWidth={board ? 1.8 : picked ? 2 : 1.2}
            />
            <text x={box.x + box.w / 2} y={box.y + 18} textAnchor="middle" fontSize={13.5} fontWeight={650} fill={colours.ink}>
              {box.title}
            </text>
            <text x={box.x + box.w / 2} y={box.y + 33} textAnchor="middle" fontSize={11.5} fill={colours.softInk}>
              {box.subtitle}
            </text>
          </>
        );
        return board ? (
          <g key={box.name}>{inside}</g>
        ) : (
          <g
            key={box.name}
            {...button(`Device ${box.title}, ${box.subtitle}`, picked, () =>
              onChoose(picked ? null : { kind: "device", device: box.name }),
            )}
          >
            {inside}
          </g>
        );
      })}
      {picture.runs.map((run) => {
        const points = run.points.map(([x, y]) => `${x},${y}`).join(" ");
        const wrong = faulty(run.pad, portOf(run.pad));
        const on = lit(run);
        return (
          <g key={run.key} style={{ pointerEvents: "none" }}>
            <title>{`${run.device} ${run.pin} to ${run.pad}`}</title>
            <polyline
              points={points}
              fill="none"
              stroke={wrong ? colours.oxide : colours.ink}
              strokeWidth={wrong ? 6 : on ? 6 : 4}
              strokeLinejoin="round"
            />
            <polyline points={points} fill="none" stroke={run.ink} strokeWidth={2.6} strokeLinejoin="round" />
            {run.inverter && run.points[1] && <Inverter at={run.points[1]} />}
          </g>
        );
      })}
      {picture.pins.map((pin) => {
        const picked = chosen?.kind === "pin" && chosen.device === pin.owner && chosen.pin === pin.name;
        const inward = pin.side === "left" ? 1 : -1;
        return (
          <g
            key={pin.owner + pin.name}
            {...button(`Pin ${pin.name} of ${pin.owner}`, picked, () =>
              onChoose(picked ? null : { kind: "pin", device: pin.owner, pin: pin.name }),
            )}
          >
            <rect x={pin.side === "left" ? pin.x - 8 : pin.x - 70} y={pin.y - 10} width={78} height={20} fill="transparent" />
            <circle
              cx={pin.x}
              cy={pin.y}
              r={picked ? 6 : 4}
              fill={picked ? colours.copper : pin.wired ? colours.ink : colours.paper}
              stroke={picked ? colours.copper : pin.wired ? colours.ink : colours.tarnish}
              strokeWidth={1.4}
            />
            <text
              x={pin.x + inward * 11}
              y={pin.y + 4}
              textAnchor={pin.side === "left" ? "start" : "end"}
              fontSize={12}
              fontFamily={mono}
              fill={pin.wired ? colours.ink : colours.tarnishText}
            >
              {pin.name}
            </text>
          </g>
        );
      })}
      {picture.pads.map((pad) => {
        const picked = chosen?.kind === "pad" && chosen.pad === pad.name;
        const inward = pad.side === "left" ? 1 : -1;
        const anchor = pad.side === "left" ? "start" : "end";
        const job = pad.port ? jobs[pad.port] : undefined;
        const shows = pad.port && picture.pads.find((each) => each.port === pad.port && each.side === pad.side) === pad;
        return (
          <g
            key={pad.name}
            {...button(`Pad ${pad.name}${pad.port ? `, port ${pad.port}, ${job ?? "free"}` : ""}`, picked, () =>
              onChoose(picked ? null : { kind: "pad", pad: pad.name }),
            )}
          >
            <rect
              x={pad.side === "left" ? pad.x - 8 : pad.x - 86}
              y={pad.y - 10}
              width={94}
              height={20}
              fill={picked ? colours.verdigrisWash : "transparent"}
              rx={4}
            />
            <rect
              x={pad.x - 5.5}
              y={pad.y - 5.5}
              width={11}
              height={11}
              rx={2.5}
              fill={picked ? colours.verdigris : colours.paper}
              stroke={pad.wired ? colours.ink : colours.tarnish}
              strokeWidth={1.5}
            />
            <text
              x={pad.x + inward * 12}
              y={pad.y + 4}
              textAnchor={anchor}
              fontSize={12}
              fontFamily={mono}
              fill={pad.wired ? colours.ink : colours.tarnishText}
            >
              {pad.name}
            </text>
            {shows && (
              <text
                x={pad.x + inward * 40}
                y={pad.y + 4}
                textAnchor={anchor}
                fontSize={11}
                fill={job && job !== "free" ? colours.ink : colours.softInk}
              >
                {pad.side === "left" ? `${pad.port} ${short(job)}` : `${short(job)} ${pad.port}`}
              </text>
            )}
          </g>
        );
      })}
      {clashes.map((pad) => {
        const out = pad.side === "left" ? pad.x - 20 : pad.x + 20;
        return (
          <g key={pad.name} style={{ pointerEvents: "none" }}>
            <circle cx={out} cy={pad.y} r={9} fill={colours.oxide} />
            <text x={out} y={pad.y + 4} textAnchor="middle" fontSize={11.5} fontWeight={700} fill={colours.raised}>
              {count(pad.name)}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

function short(job: Job | undefined): string {
  return { "video transmitter control": "vtx control", "receiver input": "receiver", "ESC telemetry": "ESC" }[job as string] ?? job ?? "";
}

function Inverter({ at }: { at: [number, number] | number[] }) {
  const [x = 0, y = 0] = at;
  return (
    <>
      <circle cx={x} cy={y} r={8} fill={colours.raised} stroke={colours.ink} />
      <text x={x} y={y + 3.5} fontSize={9} textAnchor="middle" fill={colours.ink}>
        inv
      </text>
    </>
  );
}
