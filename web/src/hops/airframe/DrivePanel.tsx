import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import type { AirframeTold, CraftDocument, Mend } from "../../api/types";
import { sendHands, useBenchStore } from "../../bench/useBench";
import { colours } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { SayChoice, SayNumber, Sentence } from "../../look/Sentence";
import { SetRight } from "./SetRight";

type Drive = NonNullable<CraftDocument["settings"]["drive"]>;
type Kind = NonNullable<Drive["kind"]>;
type Motors = AirframeTold["motors"];
const KINDS: Kind[] = ["digital", "shortened pulses", "analog pulses"];
const BECS = /^loom\.(several-becs|bec-over)/;

/** How the board speaks to its ESCs, and whether they know its end points. */
export function DrivePanel({
  told,
  drive,
  checks,
  set,
  mend,
}: {
  told: AirframeTold;
  drive: Drive;
  checks: boolean;
  set: (change: Partial<Drive>) => void;
  mend: (each: Mend) => ReactNode;
}) {
  const { motors } = told;
  const kind = drive.kind ?? "analog pulses";
  return (
    <Panel title="ESCs and their end points" aside="kind and rates in the draft">
      <Sentence>
        The board drives them by{" "}
        <SayChoice
          label="Kind of drive"
          value={kind}
          choices={KINDS.map((each) => ({
            value: each,
            text: each === "digital" ? "digital commands with a checksum" : each,
            ...(motors.drives.includes(each) ? {} : { why: "not all of board, pins and ESCs do that" }),
          }))}
          onSay={(value) => set({ kind: value })}
        />
        {kind !== "digital" && (
          <>
            ,{" "}
            <SayNumber
              label="Pulses of the drive"
              value={drive.pulse_hz ?? 400}
              unit="a second"
              min={50}
              max={32000}
              onSay={(hz) => hz !== null && set({ pulse_hz: Math.round(hz) })}
            />
          </>
        )}
        , and steadies{" "}
        <SayNumber
          label="Loop rate"
          value={drive.loop_hz ?? null}
          unit="times a second"
          min={250}
          max={32000}
          empty={`as its maker meant: ${motors.loop_hz}`}
          onSay={(hz) => set({ loop_hz: hz === null ? null : Math.round(hz) })}
        />
        : {motors.loop_percent} % of its processor. Armed motors get{" "}
        <SayNumber
          label="Idle of the motors"
          value={drive.idle_percent ?? 6}
          unit="%"
          min={2}
          max={20}
          onSay={(percent) => percent !== null && set({ idle_percent: percent })}
        />{" "}
        at the least.
      </Sentence>
      <Ends motors={motors} checks={checks} />
      <SetRight label="BECs" codes={BECS} mend={mend} />
    </Panel>
  );
}

const STEPS: Record<Motors["ends"]["step"], string> = {
  "plug it in": "The board asks it for full. Hold the motor, keep a hand on the plug, and put the pack in.",
  "wait for its tone": "Wait for its tone. None within 3 s: pull the pack.",
  "wait for the second tone": "It has heard full, and the board asks for the least now. Wait for its second tone.",
  "no tone": "No tone came: pull the pack at once. It is not waiting for end points, or a phase of its motor is open.",
};

function Ends({ motors, checks }: { motors: Motors; checks: boolean }) {
  const { ends } = motors;
  const plugged = useBenchStore((state) => state.live?.pack ?? false);
  const usb = useBenchStore((state) => state.live?.usb ?? false);
  if (ends.needless) return <Box sx={{ fontSize: 13.5, color: "text.secondary" }}>End points: none are needed, since {ends.needless}.</Box>;
  if (ends.output)
    return (
      <Box
        component="section"
        aria-label="End points"
        role="status"
        sx={{ fontSize: 14.5, p: 1.25, borderRadius: 1, bgcolor: ends.step === "no tone" ? colours.oxideWash : colours.copperWash }}
      >
        <b>{ends.output}.</b> {STEPS[ends.step]}{" "}
        <Button variant="text" sx={{ py: 0 }} onClick={() => sendHands({ leave_ends: true })}>
          Leave off
        </Button>
      </Box>
    );
  const before = [
    plugged ? "pull the pack" : "",
    usb ? "" : "plug USB in, so that the board runs before the ESC wakes",
    motors.props_off_s > 0 ? "" : "then say above that the props are off and it is strapped down",
  ].filter(Boolean);
  return (
    <Box component="section" aria-label="End points" sx={{ fontSize: 13.5, display: "grid", gap: 0.75 }}>
      <div>
        <b>End points.</b>{" "}
        {ends.learnt.length > 0
          ? `${ends.learnt.join(", ")} ${ends.learnt.length === 1 ? "has" : "have"} learnt them. `
          : "No ESC has been heard to learn them. "}
        An ESC that wakes under full command takes it for its upper end, then hears the lower one: one at a time, each with two tones.
        {ends.bec.length > 0 && ` Never with USB alone feeding a BEC: lift the red lead of ${ends.bec.join(" and ")} first.`}
      </div>
      {ends.open.length > 0 && (
        <Box sx={{ display: "flex", gap: 0.75, flexWrap: "wrap", alignItems: "center" }}>
          {before.length > 0 ? (
            <span style={{ color: colours.copperText }}>Before the first: {before.join("; ")}.</span>
          ) : (
            ends.open.map((output) => (
              <Button
                key={output}
                variant="outlined"
                disabled={!checks}
                sx={{ py: 0, color: colours.verdigris }}
                onClick={() => sendHands({ learn_ends: output })}
              >
                Let {output} learn them
              </Button>
            ))
          )}
        </Box>
      )}
    </Box>
  );
}
