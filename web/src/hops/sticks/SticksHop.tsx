import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useCallback, useState } from "react";
import { doAct, useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { columns } from "../../look/phone";
import { useOpened } from "../../look/useOpened";
import { AxisTable } from "./AxisTable";
import type { Axis } from "./axes";
import { DialCard } from "./DialCard";
import { FinderCard } from "./FinderCard";
import { LatencyBar } from "./LatencyBar";
import { MemoryPanel } from "./MemoryPanel";
import { OtherChannels } from "./OtherChannels";
import { RestPanel } from "./RestPanel";
import { StickField } from "./StickField";

/** Which axes each gimbal moves, by stick mode: [x, y] of left and right. */
const FIELDS: Record<number, { left: [Axis, Axis]; right: [Axis, Axis] }> = {
  1: { left: ["yaw", "pitch"], right: ["roll", "throttle"] },
  2: { left: ["yaw", "throttle"], right: ["roll", "pitch"] },
  3: { left: ["roll", "pitch"], right: ["yaw", "throttle"] },
  4: { left: ["roll", "throttle"], right: ["yaw", "pitch"] },
};

export function SticksHop({ craft, parts, edit }: HopProps) {
  const listening = useBenchStore((state) => state.live !== null && state.report !== null);
  const [memory, setMemory] = useState(false);
  useOpened("memory", () => setMemory(true));
  const lines = craft.document.settings.stick_lines;
  const { low: lowLine, high: highLine } = lines;
  const setLine = useCallback(
    (which: "low" | "high", us: number) =>
      edit((document) => {
        document.settings.stick_lines = { ...document.settings.stick_lines, [which]: us };
        return document;
      }),
    [edit],
  );
  const map = craft.document.settings.channel_map;
  const fields = FIELDS[craft.document.transmitter.stick_mode] ?? FIELDS[2];
  if (!listening || !fields) return <p>Listening…</p>;
  const sources = craft.document.transmitter.channels.map((each) => each.source).join(",");
  return (
    <>
      <HopHead title="Sticks" question="Does the board see what your thumbs do? Move one stick at a time to both its ends.">
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button variant="outlined" onClick={() => setMemory(!memory)} aria-expanded={memory}>
            Model memory
          </Button>
          <Button variant="outlined" onClick={() => doAct("measure anew")}>
            Measure anew
          </Button>
        </Box>
      </HopHead>
      <Box sx={{ display: "grid", gridTemplateColumns: columns("282px 282px minmax(220px, 1fr)"), gap: 2.5, mb: 1 }}>
        {(["left", "right"] as const).map((side) => (
          <StickField key={side} side={side} x={fields[side][0]} y={fields[side][1]} map={map} lines={lines} onLine={setLine} />
        ))}
        <Box sx={{ display: "grid", gap: 1, alignContent: "start" }}>
          <FinderCard map={map} />
          <Box sx={{ fontSize: 12, color: "text.secondary", display: "grid", gap: 0.1 }}>
            <Key ink={colours.slate} text="square: full travel, 1000 to 2000 us" />
            <Key ink={colours.verdigris} text="green: what your sticks have reached" />
            <Key ink={colours.copper} text="copper: where they are now" />
            <Key ink={colours.tarnish} text="dashed: floor and ceiling line; drag their figures" />
          </Box>
        </Box>
      </Box>
      <AxisTable map={map} lowLine={lowLine} highLine={highLine} />
      {memory && (
        <Box sx={{ mt: 2 }} ref={intoView}>
          <MemoryPanel craft={craft} transmitter={parts.transmitter} edit={edit} />
        </Box>
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: columns("repeat(2, minmax(0, 1fr))"), gap: 2, mt: 2, alignItems: "start" }}>
        <DialCard transmitter={parts.transmitter.name} version={craft.version} edit={edit} />
        <RestPanel craft={craft} edit={edit} />
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: columns("repeat(2, minmax(0, 1fr))"), gap: 2, mt: 2, alignItems: "start" }}>
        <LatencyBar />
        <OtherChannels sources={sources} />
      </Box>
    </>
  );
}

const intoView = (element: HTMLElement | null) => element?.scrollIntoView({ block: "start" });

function Key({ ink, text }: { ink: string; text: string }) {
  return (
    <span>
      <span style={{ display: "inline-block", width: 14, borderTop: `3px solid ${ink}`, marginRight: 6, verticalAlign: "middle" }} />
      {text}
    </span>
  );
}
