import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";
import type { AirframeTold, Mend } from "../../api/types";
import { sendHands, useBenchStore } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { SayChoice, Sentence } from "../../look/Sentence";
import { HoldKey } from "./HoldKey";
import { SetRight } from "./SetRight";

type Motors = AirframeTold["motors"];
type Row = Motors["corners"][number];
type Corner = Row["corner"];
type Turn = NonNullable<Row["turns"]>;

/** Motors, one at a time: a key that turns one, then hands that answer what it did; never both. */
export function MotorsPanel({ told, checks, mend }: { told: AirframeTold; checks: boolean; mend: (each: Mend) => ReactNode }) {
  const { motors } = told;
  const turning = useBenchStore((state) => state.live?.turn.output ?? "");
  if (motors.why_none)
    return (
      <Panel title="Motors, one at a time">
        <Box sx={{ fontSize: 13.5 }}>Nothing can be turned: {motors.why_none}.</Box>
      </Panel>
    );
  return (
    <Panel title="Motors, one at a time" aside={leftOf(motors)}>
      <Box sx={{ fontSize: 13.5, display: "grid", gap: 1.5 }}>
        {motors.stage === "answer" && !turning ? <Answer motors={motors} checks={checks} /> : <Turning told={told} checks={checks} />}
        {motors.said && (
          <Box role="alert" sx={{ color: colours.oxide }}>
            {motors.said}
          </Box>
        )}
        <Corners motors={motors} />
        <SetRight label="What sets them right" heading="The shortest way to set them right" codes={OF_MOTORS} mend={mend} />
        <SetRight label="At the first hover" heading="At the first hover" codes={FLOWN} mend={mend} />
      </Box>
    </Panel>
  );
}

/** What eyes see of the craft on the bench. */
export function Eyes() {
  const sight = useBenchStore((state) => state.live?.turn.sight ?? "");
  return (
    <Box
      role="status"
      aria-label="What you see"
      sx={{ fontSize: 13.5, minHeight: 40, mb: 0.5, color: sight ? colours.ink : colours.softInk }}
    >
      {sight ? (
        <>
          You see: <b>{sight}</b>.
        </>
      ) : (
        "You see the craft lie there."
      )}
    </Box>
  );
}

const leftOf = ({ props_off_s: left }: Motors) =>
  left > 0 ? `props said to be off, for ${Math.ceil(left / 60)} min more` : "props not said to be off";

function Turning({ told, checks }: { told: AirframeTold; checks: boolean }) {
  const { motors } = told;
  const turning = useBenchStore((state) => state.live?.turn.output ?? "");
  const percent = useBenchStore((state) => state.live?.turn.percent ?? 0);
  const [other, choose] = useState<string | null>(null);
  const outputs = motors.corners.map((row) => row.output).sort();
  const output = other ?? (motors.next || (outputs[0] ?? ""));
  if (motors.props_off_s <= 0)
    return (
      <Box component="section" aria-label="Before anything turns" sx={{ display: "grid", gap: 1 }}>
        <Box sx={{ fontSize: 17, fontWeight: 600 }}>Take the props off, and strap the craft down.</Box>
        <div>
          Then the arm switch off, the pack in, hands off. A motor turns while a key is held, from its lowest command on, for three seconds
          at most.{" "}
          <Box component="span" sx={{ color: "text.secondary" }}>
            The stand-ins' motors turn here; on the real craft the board's own means do it, with the same two stages, and you answer here.
          </Box>
        </div>
        <BeforeFirstPack />
        {motors.locked.includes("(") && <Box sx={{ color: colours.copperText }}>{motors.locked}</Box>}
        <Box>
          <Button variant="contained" disabled={!checks} onClick={() => sendHands({ props_off: true })}>
            Props are off, and it is strapped down
          </Button>
        </Box>
      </Box>
    );
  const waits = !turning && motors.locked;
  return (
    <Box component="section" aria-label="Turn a motor" sx={{ display: "grid", gap: 1 }}>
      <Box role="status" sx={{ fontSize: 17, fontWeight: 600 }}>
        {turning
          ? `${turning} is asked ${percent.toFixed(1)} %. Let go as soon as it turns.`
          : waits ||
            (motors.next ? `Next: ${motors.next}. Hold the key until something turns.` : "Every output turns the motor that it should.")}
      </Box>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", flexWrap: "wrap" }}>
        <HoldKey output={output} disabled={!checks || Boolean(waits)} />
        <Sentence>
          It turns{" "}
          <SayChoice
            label="Output to turn"
            value={output}
            choices={outputs.map((each) => ({ value: each, text: each }))}
            onSay={(value) => choose(value === motors.next ? null : value)}
          />
          .{" "}
          <Button variant="text" sx={{ py: 0 }} onClick={() => sendHands({ props_off: false })}>
            The props go on again
          </Button>
        </Sentence>
      </Box>
      <Box sx={{ height: 6, borderRadius: 3, bgcolor: colours.hairline, overflow: "hidden", maxWidth: 420 }} aria-hidden="true">
        <Box sx={{ height: 6, width: `${turning ? (100 * percent) / motors.most_percent : 0}%`, bgcolor: colours.copper }} />
      </Box>
      <Box sx={{ color: "text.secondary" }}>
        Space, Enter, a finger or the mouse, held. Up to {motors.most_percent} %
        {motors.told_speed
          ? "; its ESC tells speed, so the command stays where the motor begins to turn."
          : ". No ESC tells its speed here: let go as soon as you see it turn."}
      </Box>
    </Box>
  );
}

function BeforeFirstPack() {
  return (
    <Box component="details" sx={{ color: "text.secondary" }}>
      <summary style={{ cursor: "pointer" }}>before its very first pack</summary>
      <ol style={{ margin: "4px 0 0", paddingLeft: 20 }}>
        <li>Measure from plus to minus at the pack's lead: a short shows as no resistance. Nothing is plugged in while there is one.</li>
        <li>Look at the polarity: at the lead, and at each ESC.</li>
        <li>Plug it in through a lead that limits the current: it takes the pack off before a fault burns anything.</li>
      </ol>
    </Box>
  );
}

function Answer({ motors, checks }: { motors: Motors; checks: boolean }) {
  const [corner, setCorner] = useState<Corner | typeof OPEN>(OPEN);
  const [turns, setTurns] = useState<Turn | typeof OPEN>(OPEN);
  const ways: Turn[] = motors.corners[0]?.should === "ahead" || motors.corners[0]?.should === "astern" ? ["ahead", "astern"] : WAYS;
  const ended = motors.ended;
  if (motors.answered || !ended)
    return (
      <Box component="section" aria-label="Answer">
        <Box role="status" sx={{ fontSize: 17, fontWeight: 600 }}>
          {motors.locked}
        </Box>
        Put it down, strap it, hands off.
      </Box>
    );
  const byCraft = !motors.by_words;
  return (
    <Box component="section" aria-label="Answer" sx={{ display: "grid", gap: 1 }}>
      <Box role="status" sx={{ fontSize: 17, fontWeight: 600 }}>
        {motors.locked}
      </Box>
      <Box>
        {ended.output} came to {ended.percent.toFixed(1)} %{ended.by_telemetry ? ", where its ESC told that it turns" : ""}; then{" "}
        {ended.why}.
      </Box>
      {byCraft && (
        <Box sx={{ p: 1.25, borderRadius: 1, bgcolor: colours.slateWash }}>
          <b>Tip it towards the corner that moved, twist it the way the motor turned, put it down.</b> The map beside is your hands.
          <Box sx={{ mt: 0.5, display: "flex", gap: 3 }}>
            <span>
              Felt as corner: <b>{motors.tipped ?? "nothing yet"}</b>
            </span>
            <span>
              as way: <b>{motors.twisted ?? "nothing yet"}</b>
            </span>
          </Box>
        </Box>
      )}
      <Sentence>
        {byCraft ? "Or in words: " : `In words, since ${motors.by_words}: `}the motor at{" "}
        <SayChoice
          label="Where it turned"
          value={corner}
          choices={[
            { value: OPEN, text: "which corner?" },
            ...motors.corners.map((row) => ({ value: row.corner, text: `the ${row.corner}` })),
          ]}
          onSay={setCorner}
        />{" "}
        turned{" "}
        <SayChoice
          label="Which way it turned"
          value={turns}
          choices={[{ value: OPEN, text: "which way?" }, ...ways.map((each) => ({ value: each, text: each }))]}
          onSay={setTurns}
        />
        {ways === WAYS && ", seen from above"}.
      </Sentence>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        <Button
          variant="contained"
          disabled={!checks || corner === OPEN || turns === OPEN}
          onClick={() => corner !== OPEN && turns !== OPEN && sendHands({ moved: corner, moved_turns: turns })}
        >
          That is what I saw
        </Button>
        <Button variant="outlined" disabled={!checks} onClick={() => sendHands({ moved: "nothing" })}>
          Nothing turned
        </Button>
        <Button variant="text" disabled={!checks} onClick={() => sendHands({ not_seen: true })}>
          I did not see it: once more
        </Button>
      </Box>
    </Box>
  );
}

const OPEN = "open";
const WAYS: Turn[] = ["clockwise", "counterclockwise"];

function Corners({ motors }: { motors: Motors }) {
  return (
    <Box
      component="table"
      aria-label="Corners"
      sx={{
        width: "100%",
        borderCollapse: "collapse",
        "& th": { textAlign: "left", fontWeight: 500, color: "text.secondary", fontSize: 12.5 },
        "& td, & th": { py: 0.5, pr: 1.25, whiteSpace: "nowrap", borderBottom: 1, borderColor: "divider" },
      }}
    >
      <thead>
        <tr>
          <th>corner</th>
          <th>driven by</th>
          <th>seen here</th>
          <th>turns</th>
          <th>should turn</th>
          <th>begins at</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {motors.corners.map((row) => (
          <tr key={row.corner}>
            <td>
              <b>{row.corner}</b>
            </td>
            <td>{row.output}</td>
            <td>{row.here.join(" and ") || "–"}</td>
            <td>{row.turns ?? "–"}</td>
            <td style={{ color: colours.softInk }}>{row.should ?? "either way"}</td>
            <td style={{ fontFamily: mono }}>{row.starts_percent === null ? "–" : `${row.starts_percent.toFixed(1)} %`}</td>
            <td style={{ color: INK[row.standing] ?? colours.ink, fontWeight: 600 }}>
              {SAYS[row.standing]}
              {row.standing === "once more" && row.here.length === 1 && ` (${row.agreed} of ${row.needed})`}
            </td>
          </tr>
        ))}
      </tbody>
    </Box>
  );
}

const OF_MOTORS = /^airframe\.(motor-|idle$)/;
const FLOWN = /^airframe\.idle-flown/;

const SAYS: Record<Row["standing"], string> = {
  "not turned yet": "not turned yet",
  right: "right",
  "once more": "once more",
  "another corner": "not its own",
  "other way": "the other way",
  "stood still": "nothing turned",
};
const INK: Partial<Record<Row["standing"], string>> = {
  right: colours.verdigris,
  "another corner": colours.oxide,
  "other way": colours.oxide,
  "stood still": colours.oxide,
};
