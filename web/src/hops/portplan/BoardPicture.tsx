import type { Board, CraftDocument, Pad, Receiver } from "../../api/types";
import { useBenchStore } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";

const W = 600;
const H = 400;
const LEFT = 270;
const RIGHT = 500;
const TOP = 24;
const BOTTOM = 372;
const WIRE = { "signal out": colours.copper, "signal in": colours.slate, supply: "#7C3B45", ground: "#3B4447" };

function padY(pad: Pad): number {
  return TOP + 16 + pad.place * (BOTTOM - TOP - 20);
}

/** The board with its pads where they sit, the receiver, and the wires between. */
export function BoardPicture({
  board,
  receiver,
  document,
  chosen,
  onChoose,
}: {
  board: Board;
  receiver: Receiver;
  document: CraftDocument;
  chosen: string;
  onChoose: (port: string) => void;
}) {
  const arrives = useBenchStore((state) => (state.live?.edges_per_s ?? 0) > 0);
  const jobs = document.settings.ports;
  const listening = board.ports.find((port) => jobs[port] === "receiver input");
  const pinY = (index: number) => 150 + index * 26;
  const wires = (document.wiring ?? []).flatMap((patch, index) => {
    const at = receiver.pins.findIndex((pin) => pin.name === patch.pin);
    const pin = receiver.pins[at];
    const pad = board.pads.find((each) => each.name === patch.pad);
    return pin && pad ? [{ patch, pin, pad, from: pinY(at), lane: index }] : [];
  });
  const groups = portGroups(board);
  return (
    // biome-ignore lint/a11y/useSemanticElements: a fieldset cannot hold a drawing
    <svg
      viewBox={`0 0 ${W} ${H}`}
      width="100%"
      role="group"
      aria-label={`${board.name} with its pads, and the ${receiver.name}`}
      style={{ fontFamily: '"Figtree Variable", sans-serif', display: "block" }}
    >
      <rect
        x={LEFT}
        y={TOP}
        width={RIGHT - LEFT}
        height={BOTTOM - TOP}
        rx={12}
        fill={colours.raised}
        stroke={colours.ink}
        strokeWidth={1.5}
      />
      <text x={(LEFT + RIGHT) / 2} y={TOP + 22} textAnchor="middle" fontSize={14} fontWeight={600} fill={colours.ink}>
        {board.name}
      </text>
      <rect
        x={12}
        y={112}
        width={130}
        height={pinY(receiver.pins.length) - 112}
        rx={8}
        fill={colours.raised}
        stroke={colours.ink}
        strokeWidth={1.2}
      />
      <text x={24} y={133} fontSize={13.5} fontWeight={600} fill={colours.ink}>
        {receiver.name}
      </text>
      {receiver.pins.map((pin, index) => (
        <g key={pin.name}>
          <text x={128} y={pinY(index) + 4} textAnchor="end" fontSize={12} fontFamily={mono} fill={colours.softInk}>
            {pin.name}
          </text>
          <circle cx={142} cy={pinY(index)} r={4} fill={colours.paper} stroke={colours.ink} />
        </g>
      ))}
      {wires.map(({ patch, pin, pad, from, lane }) => {
        const meets = pin.kind !== "signal out" || pad.port === listening;
        return (
          <path
            key={patch.pin}
            d={route(from, pad, lane)}
            fill="none"
            stroke={meets ? WIRE[pin.kind] : colours.oxide}
            strokeWidth={pin.kind === "signal out" ? 3 : 1.8}
            strokeDasharray={pin.kind === "signal out" && !arrives ? "7 5" : undefined}
          >
            <title>{`${pin.name} to ${pad.name}`}</title>
          </path>
        );
      })}
      {groups.map(({ port, side, pads }) => {
        const ys = pads.map(padY);
        const top = Math.min(...ys) - 9;
        const bottom = Math.max(...ys) + 9;
        const x = side === "left" ? LEFT : RIGHT;
        const inward = side === "left" ? 1 : -1;
        const picked = port === chosen;
        const job = jobs[port] ?? "free";
        const middle = (top + bottom) / 2;
        return (
          // biome-ignore lint/a11y/useSemanticElements: SVG has no button element
          <g
            key={`${port}${side}`}
            role="button"
            tabIndex={0}
            aria-pressed={picked}
            aria-label={`Port ${port}, ${job}, pads ${pads.map((pad) => pad.name).join(" and ")}`}
            onClick={() => onChoose(port)}
            onKeyDown={(event) => {
              if (event.key === "Enter" || event.key === " ") {
                event.preventDefault();
                onChoose(port);
              }
            }}
            style={{ cursor: "pointer" }}
          >
            <rect
              x={side === "left" ? LEFT - 6 : (LEFT + RIGHT) / 2 - 6}
              y={top - 2}
              width={(RIGHT - LEFT) / 2 + 12}
              height={bottom - top + 4}
              rx={6}
              fill={picked ? colours.verdigrisWash : "transparent"}
              stroke={picked ? colours.verdigris : "transparent"}
              strokeWidth={1.5}
            />
            <path d={`M${x + inward * 34} ${top + 4}h${inward * 6}V${bottom - 4}h${-inward * 6}`} fill="none" stroke={colours.tarnish} />
            <text
              x={x + inward * 46}
              y={middle - 1}
              textAnchor={side === "left" ? "start" : "end"}
              fontSize={12.5}
              fontWeight={600}
              fontFamily={mono}
              fill={colours.ink}
            >
              {port}
            </text>
            <text
              x={x + inward * 46}
              y={middle + 11}
              textAnchor={side === "left" ? "start" : "end"}
              fontSize={10.5}
              fontWeight={job === "receiver input" ? 700 : 400}
              fill={job === "receiver input" ? colours.copperText : colours.softInk}
            >
              {job === "video transmitter control" ? "video tx control" : job}
            </text>
          </g>
        );
      })}
      {board.pads.map((pad) => {
        const x = pad.side === "left" ? LEFT : RIGHT;
        const inward = pad.side === "left" ? 1 : -1;
        const y = padY(pad);
        const waits = pad.kind === "rx" && pad.port === listening;
        const empty = waits && !wires.some((wire) => wire.pad.name === pad.name);
        return (
          <g key={pad.name} style={{ pointerEvents: "none" }}>
            <circle
              cx={x}
              cy={y}
              r={6}
              fill={colours.paper}
              stroke={waits ? colours.copper : pad.port ? colours.ink : colours.tarnish}
              strokeWidth={waits ? 2.5 : 1.3}
            />
            <text
              x={x + inward * 11}
              y={y + 4}
              textAnchor={pad.side === "left" ? "start" : "end"}
              fontSize={11}
              fontFamily={mono}
              fill={pad.port ? colours.ink : colours.tarnishText}
            >
              {pad.name}
            </text>
            {empty && (
              <text
                x={x - inward * 12}
                y={y + 4}
                textAnchor={pad.side === "left" ? "end" : "start"}
                fontSize={11.5}
                fontWeight={600}
                fill={colours.oxide}
                stroke={colours.paper}
                strokeWidth={5}
                paintOrder="stroke"
              >
                listens here, no wire
              </text>
            )}
          </g>
        );
      })}
      {wires
        .filter(({ pin, pad }) => pin.kind === "signal out" && pad.port !== listening)
        .map(({ pad }) => {
          const out = pad.side === "left" ? LEFT - 22 : RIGHT + 22;
          return (
            <g key={pad.name}>
              <circle cx={out} cy={padY(pad)} r={8} fill={colours.oxide} />
              <text x={out} y={padY(pad) + 4} textAnchor="middle" fontSize={11} fontWeight={700} fill={colours.raised}>
                !
              </text>
            </g>
          );
        })}
    </svg>
  );
}

function route(from: number, pad: Pad, lane: number): string {
  const y = padY(pad);
  if (pad.side === "left") return `M146 ${from} C 205 ${from} 205 ${y} ${LEFT - 6} ${y}`;
  const low = BOTTOM + 6 + lane * 5;
  const far = RIGHT + 34 + lane * 7;
  return `M146 ${from} C 190 ${from} 160 ${low} 215 ${low} L ${far - 22} ${low} Q ${far} ${low} ${far} ${low - 22} L ${far} ${y + 14} Q ${far} ${y} ${far - 14} ${y} L ${RIGHT + 6} ${y}`;
}

function portGroups(board: Board) {
  const groups: { port: string; side: Pad["side"]; pads: Pad[] }[] = [];
  for (const port of board.ports)
    for (const side of ["left", "right"] as const) {
      const pads = board.pads.filter((pad) => pad.port === port && pad.side === side);
      if (pads.length > 0) groups.push({ port, side, pads });
    }
  return groups;
}
