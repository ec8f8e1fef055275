import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { memo } from "react";
import { useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";

const says = (good: boolean | null) => (good === null ? "not looked at yet" : good ? "correct" : "reversed");
const ink = (good: boolean | null) => (good === null ? colours.softInk : good ? colours.verdigris : colours.oxide);

/** Control surfaces: which way each goes with the stick, and when the board steadies. */
export const SurfacesPanel = memo(function SurfacesPanel({ edit }: { edit: HopProps["edit"] }) {
  const surfaces = useBenchStore((state) => state.report?.told.sticks?.surfaces) ?? [];
  if (surfaces.length === 0) return null;
  return (
    <Panel title="Control surfaces" aside="Move the stick, look at the surface, and note what you see.">
      <Box component="ul" aria-label="Control surfaces" sx={{ m: 0, p: 0, listStyle: "none", display: "grid", gap: 0.75 }}>
        {surfaces.map((each) => (
          <Box
            component="li"
            key={each.name}
            sx={{ display: "grid", gridTemplateColumns: "112px 54px minmax(0, 1fr) auto", gap: 1, alignItems: "center", fontSize: 13 }}
          >
            <b>{each.name}</b>
            <Deflection name={each.name} />
            <span>
              {each.move}: {each.should}.{" "}
              <Box component="span" sx={{ color: "text.secondary" }}>
                Stick: <b style={{ color: ink(each.with_stick) }}>{says(each.with_stick)}</b>. Steadying:{" "}
                <b style={{ color: ink(each.with_steadying) }}>{says(each.with_steadying)}</b>.
                {each.servo_reversed ? " The board turns its servo round." : ""}
                {each.channel_reversed ? ` CH${each.channel} is reversed in the transmitter.` : ""}
              </Box>
            </span>
            <Box sx={{ display: "flex", gap: 0.5 }}>
              <Button
                variant="outlined"
                aria-pressed={each.with_stick === true}
                onClick={() => edit([each.if_right])}
                aria-label={`${each.name} moves as described`}
              >
                moves as described
              </Button>
              <Button
                variant="outlined"
                aria-pressed={each.with_stick === false}
                onClick={() => edit([each.if_wrong])}
                aria-label={`${each.name} moves the other way`}
              >
                moves the other way
              </Button>
            </Box>
          </Box>
        ))}
      </Box>
    </Panel>
  );
});

/** A surface from the side: its hinge, and how far it is out. */
function Deflection({ name }: { name: string }) {
  const at = useBenchStore((state) => state.live?.board.surfaces[name] ?? 0);
  const lift = -at * 11;
  return (
    <svg width={54} height={30} role="img" aria-label={`${at > 0.02 ? "as the stick asks" : at < -0.02 ? "against the stick" : "neutral"}`}>
      <path d="M2 15C10 9 20 9 26 12V18C20 19 10 19 2 15Z" fill={colours.bench} stroke={colours.tarnish} />
      <path d={`M27 12L50 ${15 + lift}L27 18Z`} fill={at === 0 ? colours.bench : colours.copperWash} stroke={colours.copper} />
      <text x={52} y={28} textAnchor="end" fontSize={9} fontFamily={mono} fill={colours.softInk}>
        {Math.round(at * 100)} %
      </text>
    </svg>
  );
}
