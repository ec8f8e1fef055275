import Box from "@mui/material/Box";
import type { CraftDocument, Mend } from "../../api/types";
import { colours } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { SayChoice, SayNumber, Sentence } from "../../look/Sentence";

type Mixing = NonNullable<CraftDocument["settings"]["mixing"]>;
type Layout = NonNullable<Mixing["layout"]>;
const LAYOUTS: Layout[] = ["quad X", "quad plus", "tri", "hexa", "plane", "wing", "rover", "boat"];

/** For which airframe the board mixes, what each output drives, and how often servos get a pulse. */
export function MixPanel({
  airframe,
  mixing,
  rotors,
  wired,
  set,
  mend,
}: {
  airframe: string;
  mixing: Mixing;
  rotors: boolean;
  wired: Mend | null;
  set: (change: Partial<Mixing>) => void;
  mend: (each: Mend | null) => React.ReactNode;
}) {
  const outputs = Object.entries(mixing.outputs ?? {});
  return (
    <Panel title="What the board mixes" aside="in the draft">
      <Sentence>
        It mixes for{" "}
        <SayChoice
          label="Layout"
          value={mixing.layout ?? AS_IT_IS}
          choices={[
            { value: AS_IT_IS, text: `what its craft is, a ${airframe}` },
            ...LAYOUTS.map((each) => ({ value: each, text: `a ${each}` })),
          ]}
          onSay={(layout) => set({ layout: layout === AS_IT_IS ? null : (layout as Layout) })}
        />
        {rotors && (
          <>
            {" "}
            with{" "}
            <SayChoice
              label="Props"
              value={mixing.props ?? "in"}
              choices={[
                { value: "in", text: "props in: the front left one clockwise" },
                { value: "out", text: "props out: the front left one counterclockwise" },
              ]}
              onSay={(props) => set({ props })}
            />
          </>
        )}
        , and servos get{" "}
        <SayNumber
          label="Servo rate"
          value={mixing.servo_hz ?? 50}
          unit="pulses a second"
          min={40}
          max={400}
          onSay={(hz) => hz !== null && set({ servo_hz: Math.round(hz) })}
        />
        .
      </Sentence>
      <Box sx={{ fontSize: 13.5, display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center" }}>
        {outputs.length > 0 ? (
          <span>
            {outputs.map(([pad, role], index) => (
              <span key={pad}>
                {index > 0 && ", "}
                <b>{pad}</b> {role}
              </span>
            ))}
            .
          </span>
        ) : (
          <span style={{ color: colours.softInk }}>Nobody has said what its outputs drive.</span>
        )}
        {mend(wired)}
      </Box>
    </Panel>
  );
}

const AS_IT_IS = "as it is";
