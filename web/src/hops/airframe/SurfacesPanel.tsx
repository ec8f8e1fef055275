import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import type { AirframeTold, CraftDocument, Mend } from "../../api/types";
import { sendHands, useBenchStore } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { columns } from "../../look/phone";
import { SayNumber } from "../../look/Sentence";
import { SetRight } from "./SetRight";

type Row = AirframeTold["surfaces"][number];
type Went = Row["with_stick"];

type Servos = NonNullable<CraftDocument["settings"]["servos"]>;
type Setup = Servos[string];

const SAYS: Record<NonNullable<Went>, string> = { right: "seen so", wrong: "seen the other way", still: "seen not to move" };
const ink = (went: Went) => (went === null ? colours.softInk : went === "right" ? colours.verdigris : colours.oxide);

/** Control surfaces, as sentences: how each answers its stick, and how it steadies when the craft is moved. */
export function SurfacesPanel({
  told,
  checks,
  servos,
  setServo,
  mend,
}: {
  told: AirframeTold;
  checks: boolean;
  servos: Servos;
  setServo: (name: string, change: Setup) => void;
  mend: (each: Mend) => ReactNode;
}) {
  const link = useBenchStore((state) => state.live?.board.link);
  if (told.surfaces_none) return <Panel title="Control surfaces">Nothing has to be looked at: {told.surfaces_none}.</Panel>;
  const names = [...new Set(told.surfaces.map((row) => row.name))];
  return (
    <Panel title="Control surfaces" aside="seen on the bench by itself; of the real craft you say it">
      <Box role="status" sx={{ fontSize: 17, fontWeight: 600, mb: 1 }}>
        {link === "good" ? next(told.surfaces) : "No stick reaches the board: what answers it cannot be seen yet."}
      </Box>
      <Box component="ul" aria-label="Control surfaces" sx={{ m: 0, p: 0, listStyle: "none", display: "grid", gap: 1.25 }}>
        {names.map((name) => {
          const rows = told.surfaces.filter((row) => row.name === name);
          return (
            <Box
              component="li"
              key={name}
              sx={{ display: "grid", gridTemplateColumns: "96px 58px minmax(0, 1fr)", gap: 1, fontSize: 13.5 }}
            >
              <div>
                <b>{name}</b>
                {rows[0]?.servo_reversed && <div style={{ color: colours.softInk, fontSize: 12 }}>turned round by the board</div>}
              </div>
              <Deflection name={name} />
              <div>
                {rows.map((row) => (
                  <div key={row.axis}>
                    <Said row={row} when="stick" went={row.with_stick} says={`${row.move}: ${row.should}`} checks={checks} />
                    <Said row={row} when="steadying" went={row.with_steadying} says={`${row.craft}: ${row.answers}`} checks={checks} />
                    {row.channel_reversed && (
                      <Box sx={{ fontSize: 12.5, color: colours.copperText }}>CH{row.channel} is reversed in the transmitter.</Box>
                    )}
                  </div>
                ))}
                <Pulses name={name} setup={servos[name] ?? USUAL} binds={rows[0]?.binds ?? false} set={setServo} />
              </div>
            </Box>
          );
        })}
      </Box>
      <CentreLearning told={told} checks={checks} mend={mend} />
      <SetRight label="What sets surfaces right" codes={OF_SURFACES} mend={mend} />
    </Panel>
  );
}

/** The middles of the servos, learnt by the board in level flight: a sequence for a trial flight, and its result, kept only once it was looked at. */
function CentreLearning({ told, checks, mend }: { told: AirframeTold; checks: boolean; mend: (each: Mend) => ReactNode }) {
  return (
    <Box component="section" aria-label="Centre learning" sx={{ mt: 1.5, pt: 1, borderTop: 1, borderColor: "divider", fontSize: 13.5 }}>
      <b>Centre learning</b>
      {told.centres.length > 0 ? (
        <>
          {" "}
          came to this in level flight. Look at it before it is kept: a middle that is far off means a surface set wrong, or a craft out of
          balance.
          <Box component="ul" sx={{ m: 0, my: 0.5, pl: 2.5 }}>
            {told.centres.map((each) => (
              <li key={each.name}>
                {each.name}: {each.now_us} us, learnt <b>{each.learnt_us} us</b> ({each.learnt_us - each.now_us >= 0 ? "+" : ""}
                {each.learnt_us - each.now_us})
              </li>
            ))}
          </Box>
          <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
            {told.keep_centres ? (
              mend(told.keep_centres)
            ) : (
              <span>One of them is too far off to be kept: set its horn over by a tooth first.</span>
            )}
            <Button variant="text" disabled={!checks} sx={{ py: 0 }} onClick={() => sendHands({ forget_centre: true })}>
              Do not keep it
            </Button>
          </Box>
        </>
      ) : (
        <Box component="ol" sx={{ m: 0, mt: 0.5, pl: 2.5, color: "text.secondary" }}>
          <li>
            {told.learns_by
              ? "A switch turns it on: that is set."
              : "Give it a switch: a mode band of centre learning, on the Switchboard."}
          </li>
          <li>On a trial flight, fly level and straight at your usual speed, and hold it so with the sticks.</li>
          <li>Switch it on for two calm seconds, and off again. Land, disarm, and look here: nothing is kept before.</li>
        </Box>
      )}
    </Box>
  );
}

const OF_SURFACES = /^airframe\.(surface|channel-reversed|reversed-in|steadies|neutral|servo-binds|servo-role)/;

const DEG_US = 0.09;
const USUAL = { neutral_us: 1500, low_us: 1000, high_us: 2000 };

/** A servo's middle and ends in the draft, each changed where it stands. */
function Pulses({ name, setup, binds, set }: { name: string; setup: Setup; binds: boolean; set: (name: string, change: Setup) => void }) {
  const degrees = (us: number) => `${us > setup.neutral_us ? "+" : ""}${((us - setup.neutral_us) * DEG_US).toFixed(0)}°`;
  const say = (label: string, key: keyof typeof USUAL, min: number, max: number) => (
    <SayNumber
      label={`${label} of ${name}`}
      value={setup[key]}
      unit=""
      min={min}
      max={max}
      onSay={(us) => us !== null && set(name, { ...setup, [key]: Math.round(us) })}
    />
  );
  return (
    <Box sx={{ fontSize: 12.5, color: binds ? colours.oxide : "text.secondary" }}>
      Middle {say("Middle", "neutral_us", 1300, 1700)}us, from {say("Low end", "low_us", 800, 1499)}to{" "}
      {say("High end", "high_us", 1501, 2200)}us: {degrees(setup.low_us)} to {degrees(setup.high_us)}
      {binds && ", and it comes to its stop before"}.
    </Box>
  );
}

function next(rows: Row[]): string {
  if (rows.length === 0) return "Say first what each servo moves.";
  if (rows.some((row) => row.with_stick === null)) return "Move each stick to both ends, the others let go.";
  if (rows.some((row) => row.with_stick !== "right")) return "Not every surface follows its stick as it should.";
  if (rows.some((row) => row.with_steadying === null)) return "Let the sticks go, and tip and turn the craft: it must steady itself.";
  if (rows.some((row) => row.with_steadying !== "right")) return "Not every surface steadies the craft.";
  return "Every surface follows its stick, and steadies the craft.";
}

function Said({ row, when, went, says, checks }: { row: Row; when: "stick" | "steadying"; went: Went; says: string; checks: boolean }) {
  const tell = (seen: "right" | "wrong") => sendHands({ surface_seen: { name: row.name, axis: row.axis, when, went: seen } });
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) auto"), columnGap: 1, alignItems: "baseline" }}>
      <span>
        {capital(says)}. <b style={{ color: ink(went), whiteSpace: "nowrap" }}>{went === null ? "not seen yet" : SAYS[went]}</b>
      </span>
      {went === null && (
        <Box component="span" sx={{ whiteSpace: "nowrap" }}>
          <Button
            variant="text"
            disabled={!checks}
            sx={SAY}
            aria-label={`${row.name}, ${when}, ${row.axis}: so`}
            onClick={() => tell("right")}
          >
            seen so
          </Button>
          <Button
            variant="text"
            disabled={!checks}
            sx={SAY}
            aria-label={`${row.name}, ${when}, ${row.axis}: the other way`}
            onClick={() => tell("wrong")}
          >
            other way
          </Button>
        </Box>
      )}
    </Box>
  );
}

const SAY = { py: 0, px: 0.5, minWidth: 0, fontSize: 12.5 } as const;
const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** A surface from the side, its hinge in the middle, as it stands now. */
function Deflection({ name }: { name: string }) {
  const at = useBenchStore((state) => state.live?.board.surfaces[name] ?? 0);
  const lift = -at * 11;
  const words = at > 0.02 ? "up, or right" : at < -0.02 ? "down, or left" : "straight";
  return (
    <svg width={54} height={32} role="img" aria-label={`${name}: ${words}, ${Math.round(at * 100)} percent`}>
      <path d="M2 15C10 9 20 9 26 12V18C20 19 10 19 2 15Z" fill={colours.bench} stroke={colours.tarnish} />
      <path d={`M27 12L50 ${15 + lift}L27 18Z`} fill={at === 0 ? colours.bench : colours.copperWash} stroke={colours.copper} />
      <text x={52} y={30} textAnchor="end" fontSize={9} fontFamily={mono} fill={colours.softInk}>
        {Math.round(at * 100)} %
      </text>
    </svg>
  );
}
