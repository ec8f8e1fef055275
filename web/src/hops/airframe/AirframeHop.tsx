import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import type { AirframeTold, HopState, Mend } from "../../api/types";
import { known, sendHands, useBenchStore, useSteady } from "../../bench/useBench";
import { useNextProof } from "../../chain/useNextProof";
import type { HopProps } from "../../craft/hopProps";
import { MendOf } from "../../findings/Mends";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { onArrow } from "../../look/onArrow";
import { Panel } from "../../look/Panel";
import { columns } from "../../look/phone";
import { AnswersPanel } from "./AnswersPanel";
import { DrivePanel } from "./DrivePanel";
import { GravityMap } from "./GravityMap";
import { HandsWere } from "./HandsWere";
import { MixPanel } from "./MixPanel";
import { Eyes, MotorsPanel } from "./MotorsPanel";
import { PackPanel } from "./PackPanel";
import { SetRight } from "./SetRight";
import { Silhouettes } from "./Silhouettes";
import { SurfacesPanel } from "./SurfacesPanel";

export function AirframeHop({ craft, edit }: HopProps) {
  const told = useBenchStore((state) => state.report?.told.airframe);
  const version = useBenchStore((state) => known(state)?.draft_version);
  const chain = useSteady((state) => known(state)?.chain.find((each) => each.hop === "airframe"));
  const [looked, look] = useState<Part | null>(null);
  const next = useNextProof("airframe");
  const part = looked ?? PARTS.find(({ proofs }) => proofs.includes(next ?? ""))?.part ?? "sits";
  if (!told) return <p>Listening…</p>;
  const checks = craft.may.includes("check");
  const mend = (each: Mend | null) =>
    each && (
      <MendOf mend={each} craft={craft} hop="airframe" current={version === craft.version} onMend={(edits) => edit(edits, version)} />
    );
  return (
    <>
      <HopHead title="Airframe" question="Does what leaves the board move the craft the right way?" />
      <Box
        role="tablist"
        aria-label="Parts of the airframe"
        onKeyDown={onArrow}
        sx={{ display: "flex", gap: 0.75, flexWrap: "wrap", mb: 1.5 }}
      >
        {PARTS.map(({ part: each, title, proofs }) => (
          <Button
            key={each}
            role="tab"
            aria-selected={each === part}
            variant={each === part ? "contained" : "outlined"}
            color="secondary"
            sx={{ py: 0.25, px: 1.5, gap: 1 }}
            onClick={() => look(each)}
          >
            {title}
            <Box component="span" sx={{ fontSize: 12, opacity: 0.85 }}>
              {standing(chain?.proofs ?? [], proofs)}
            </Box>
          </Button>
        ))}
      </Box>
      {PARTS.map(
        ({ part: each, at }) => each === part && at && <HandsWere key={at} at={at} checks={checks} proofs={chain?.proofs ?? []} />,
      )}
      {part === "sits" && (
        <Box
          role="status"
          sx={{ fontSize: 17, fontWeight: 600, mb: 1.5, color: told.facing.usb_so && settled(told) ? colours.verdigris : colours.ink }}
        >
          {verdict(told)}
        </Box>
      )}
      {told.unseen.length > 0 && (
        <Box sx={{ mb: 1.5, fontSize: 13.5, color: colours.copperText }}>
          Fitted, and not seen by the board: {told.unseen.join(", ")}.{" "}
          <Link to={`/crafts/${craft.id}/kit`} style={{ color: colours.verdigris, fontWeight: 600 }}>
            The Kit says why
          </Link>
        </Box>
      )}
      {part === "sits" && (
        <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) 372px"), gap: 2 }}>
          <Panel title="Which way the board sits">
            <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) 232px"), gap: 2 }}>
              <Facing told={told} checks={checks} mend={mend} />
              <GravityMap told={told} checks={checks} />
            </Box>
          </Panel>
          <Box sx={{ display: "grid", gap: 2, alignContent: "start" }}>
            <Panel title="The board's idea, and your hands'">
              <Silhouettes told={told} />
            </Panel>
            {!told.why_none && (
              <Panel title="Level">
                <Level told={told} checks={checks} mend={mend} />
              </Panel>
            )}
            {told.compass && (
              <Panel title="Compass against gyro">
                <Compass compass={told.compass} checks={checks} />
                <SetRight label="At the first flight" codes={FLOWN} mend={mend} />
              </Panel>
            )}
          </Box>
        </Box>
      )}
      {part === "pack" && <PackPanel told={told} checks={checks} />}
      {part === "answers" && (
        <AnswersPanel
          told={told}
          answer={craft.document.settings.answer ?? {}}
          set={(axis, change) =>
            edit((document) => {
              const before = document.settings.answer ?? {};
              document.settings.answer = { ...before, [axis]: { ...before[axis], ...change } };
              return document;
            })
          }
          mend={mend}
        />
      )}
      {part === "surfaces" && (
        <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) 268px"), gap: 2, alignItems: "start" }}>
          <SurfacesPanel
            told={told}
            checks={checks}
            servos={craft.document.settings.servos ?? {}}
            setServo={(name, change) =>
              edit((document) => {
                document.settings.servos = { ...document.settings.servos, [name]: change };
                return document;
              })
            }
            mend={mend}
          />
          <Panel title="Your hands on the craft">
            <GravityMap told={{ ...told, marks: [] }} checks={checks} />
          </Panel>
        </Box>
      )}
      {part === "motors" && (
        <Box sx={{ display: "grid", gap: 2 }}>
          <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) 268px"), gap: 2 }}>
            <MotorsPanel told={told} checks={checks} mend={mend} />
            <Panel title="Your eyes and hands">
              <Eyes />
              <GravityMap told={{ ...told, marks: [] }} checks={checks} />
            </Panel>
          </Box>
          <DrivePanel
            told={told}
            drive={craft.document.settings.drive ?? {}}
            checks={checks}
            set={(change) =>
              edit((document) => {
                document.settings.drive = { ...document.settings.drive, ...change };
                return document;
              })
            }
            mend={mend}
          />
          <MixPanel
            airframe={craft.document.airframe}
            mixing={craft.document.settings.mixing ?? {}}
            rotors={told.motors.rotors}
            wired={told.outputs}
            set={(change) =>
              edit((document) => {
                document.settings.mixing = { ...document.settings.mixing, ...change };
                return document;
              })
            }
            mend={mend}
          />
        </Box>
      )}
    </>
  );
}

type Part = "sits" | "pack" | "motors" | "surfaces" | "answers";
const PARTS: { part: Part; title: string; proofs: string[]; at?: "board" | "motors" | "servos" }[] = [
  { part: "sits", title: "How the board sits", proofs: ["facing", "level"], at: "board" },
  { part: "pack", title: "The pack", proofs: ["power"] },
  { part: "motors", title: "Motors", proofs: ["motors", "end points"], at: "motors" },
  { part: "surfaces", title: "Surfaces", proofs: ["surfaces", "steadying"], at: "servos" },
  { part: "answers", title: "How it answers", proofs: [] },
];

/** How far the proofs of a part are, in a word. */
function standing(all: HopState["proofs"], names: string[]): string {
  const mine = all.filter((each) => names.includes(each.name) && each.needed);
  if (names.length === 0) return "";
  if (mine.length === 0) return "not needed";
  const holding = mine.filter((each) => each.standing === "holds").length;
  return holding === mine.length ? "proven" : holding > 0 ? `${holding} of ${mine.length} proven` : "not proven";
}

function Facing({ told, checks, mend }: { told: AirframeTold; checks: boolean; mend: (each: Mend | null) => ReactNode }) {
  const { facing, positions, asking } = told;
  const ask = (what: "facing" | "six positions" | "nothing") => sendHands({ asking: what });
  if (told.why_none)
    return (
      <Box sx={{ fontSize: 13.5 }}>Nothing of it has to be found: {told.why_none}. The map shows how the craft is held all the same.</Box>
    );
  const exact = facing.exact;
  return (
    <Box sx={{ fontSize: 13.5, display: "grid", gap: 1.25, alignContent: "start" }}>
      {asking && (
        <Box role="status" sx={{ p: 1.25, borderRadius: 1, bgcolor: colours.slateWash }}>
          <b>{told.asks}</b>
          <Box aria-hidden="true" sx={{ height: 5, mt: 0.75, borderRadius: 3, bgcolor: colours.raised, overflow: "hidden" }}>
            <Box sx={{ height: 5, width: `${Math.min(100, (100 * told.read_s) / told.rest_s)}%`, bgcolor: colours.slate }} />
          </Box>
          <Box sx={{ display: "flex", alignItems: "center", mt: 0.5, fontSize: 12.5, color: "text.secondary" }}>
            {told.read_s < told.rest_s
              ? "It is taken once it has rested for 2 s."
              : "It moves, or lies as it did: nothing is taken of that."}
            <Button variant="text" sx={{ py: 0, ml: "auto", fontSize: 12.5, whiteSpace: "nowrap" }} onClick={() => ask("nothing")}>
              Leave off
            </Button>
          </Box>
        </Box>
      )}
      {told.said && (
        <Box role="alert" sx={{ color: colours.oxide }}>
          {told.said}
        </Box>
      )}
      <section aria-label="Facing">
        {facing.found ? (
          <>
            <Box sx={{ fontSize: 20, fontWeight: 600, lineHeight: 1.3 }}>{facing.found}.</Box>
            <div>
              {facing.off_deg !== null && facing.off_deg > 5 ? (
                <span style={{ color: colours.oxide }}>The board believes otherwise: {lower(facing.believes)}.</span>
              ) : (
                <span style={{ color: colours.verdigris }}>The board runs it so.</span>
              )}
            </div>
            <Box sx={{ display: "flex", gap: 0.75, flexWrap: "wrap", alignItems: "center", mt: 0.5 }}>
              {!facing.usb_not && mend(facing.set)}
              {!facing.usb_so && (
                <Button
                  variant="outlined"
                  disabled={!checks}
                  sx={{ py: 0, color: colours.verdigris }}
                  onClick={() => sendHands({ usb_so: true })}
                >
                  I see it point there
                </Button>
              )}
              {!facing.usb_not && (
                <Button variant="text" disabled={!checks} sx={{ py: 0 }} onClick={() => sendHands({ usb_so: false })}>
                  It does not
                </Button>
              )}
            </Box>
            {facing.usb_so && <Box sx={{ color: colours.verdigris }}>Seen by eyes, too.</Box>}
            {facing.usb_not && <Box sx={{ color: colours.oxide }}>A pose was held the other way: take them anew.</Box>}
          </>
        ) : (
          <div>Three poses tell it. Until then the board believes that {lower(facing.believes)}.</div>
        )}
        <Box sx={{ mt: 0.75 }}>
          <Button
            variant={facing.found ? "text" : "contained"}
            disabled={!checks || !told.idea || asking === "facing"}
            sx={{ py: 0.25, ...(facing.found && { px: 0.5 }) }}
            onClick={() => ask("facing")}
          >
            {facing.found ? "Take the poses anew" : "Find it by hand"}
          </Button>
        </Box>
        {exact && (
          <Box component="details" sx={{ fontSize: 12.5, color: "text.secondary" }}>
            <summary style={{ cursor: "pointer" }}>exact</summary>
            <Box sx={{ fontFamily: mono }}>
              found: roll {exact.roll_deg}°, pitch {exact.pitch_deg}°, yaw {exact.yaw_deg}°, ±{facing.within_deg}°<br />
              runs: roll {facing.runs.roll_deg}°, pitch {facing.runs.pitch_deg}°, yaw {facing.runs.yaw_deg}°
            </Box>
          </Box>
        )}
      </section>
      <Box component="section" aria-label="Six positions" sx={{ borderTop: 1, borderColor: "divider", pt: 1 }}>
        <b>Six positions</b> set each axis of the accelerometer right.{" "}
        {positions.again
          ? `All are taken; ${positions.again} is ${((positions.residual_g ?? 0) * 1000).toFixed(0)} mg off, and to be taken again.`
          : positions.taken === 6
            ? `All are taken: what is left is ${((positions.residual_g ?? 0) * 1000).toFixed(0)} mg at most.`
            : positions.taken > 0
              ? `${positions.taken} of 6 are taken, in any order.`
              : "Needed where gravity reads more or less than 1 g at rest."}
        <Box sx={{ display: "flex", gap: 0.75, flexWrap: "wrap", mt: 0.5 }}>
          <Button
            variant="outlined"
            disabled={!checks || !told.idea || asking === "six positions"}
            sx={{ py: 0, color: colours.verdigris }}
            onClick={() => ask("six positions")}
          >
            {positions.taken > 0 && positions.taken < 6 ? "Go on with them" : "Take six positions"}
          </Button>
          {mend(positions.set)}
        </Box>
        {positions.offset_g && positions.scale && (
          <Box component="details" sx={{ fontSize: 12.5, color: "text.secondary" }}>
            <summary style={{ cursor: "pointer" }}>exact</summary>
            <Box sx={{ fontFamily: mono }}>
              {"xyz".split("").map((axis, index) => (
                <div key={axis}>
                  {axis}: {((positions.offset_g?.[index] ?? 0) * 1000).toFixed(1)} mg, × {positions.scale?.[index]?.toFixed(4)}
                </div>
              ))}
            </Box>
          </Box>
        )}
      </Box>
    </Box>
  );
}

function Level({ told, checks, mend }: { told: AirframeTold; checks: boolean; mend: (each: Mend | null) => ReactNode }) {
  const { level, asking } = told;
  return (
    <Box sx={{ fontSize: 13.5 }}>
      {!level.taken
        ? told.wing
          ? "Set it up as it flies, nose up by as much: that is level for it."
          : "Set it on something that a spirit level calls level."
        : (level.off_deg ?? 0) > 1
          ? `The board believes it tilted by ${level.off_deg?.toFixed(1)}° where it stood level.`
          : `The board takes it for level, within ${level.off_deg?.toFixed(1)}°; at rest its readings scattered by ${((level.scatter_g ?? 0) * 1000).toFixed(0)} mg.`}{" "}
      {level.in_flight}
      <Box sx={{ display: "flex", gap: 0.75, flexWrap: "wrap", mt: 0.5 }}>
        <Button
          variant="outlined"
          disabled={!checks || !told.idea || asking === "level"}
          sx={{ py: 0, color: colours.verdigris }}
          onClick={() => sendHands({ asking: "level" })}
        >
          {level.taken ? "Measure level anew" : "It stands level: measure"}
        </Button>
        {mend(level.take)}
      </Box>
    </Box>
  );
}

function Compass({ compass, checks }: { compass: NonNullable<AirframeTold["compass"]>; checks: boolean }) {
  const much = (compass.in_flight_deg ?? 0) > compass.most_deg;
  return (
    <Box sx={{ fontSize: 13.5 }}>
      Now {Math.abs(compass.off_deg).toFixed(1)}° apart.{" "}
      {compass.spread_deg !== null && `Over a turn they part by ${compass.spread_deg.toFixed(0)}°. `}
      {compass.deg_per_a !== null && (
        <Box component="span" sx={{ color: much ? colours.copperText : "text.primary" }}>
          Each ampere of the motors turns it by {Math.abs(compass.deg_per_a).toFixed(2)}°
          {compass.in_flight_deg !== null &&
            `: ${compass.in_flight_deg.toFixed(0)}° at ${compass.in_flight_a?.toFixed(0)} A in flight, ${compass.most_deg}° at most`}
          .{" "}
        </Box>
      )}
      <Box component="span" sx={{ color: "text.secondary" }}>
        {compass.says}
      </Box>
      {compass.spread_deg !== null && (
        <Button
          size="small"
          disabled={!checks}
          sx={{ py: 0, ml: 0.5, color: colours.verdigris }}
          onClick={() => sendHands({ compass: "measured anew" })}
        >
          Measure it anew
        </Button>
      )}
    </Box>
  );
}

const FLOWN = /^airframe\.compass-flown/;
const lower = (text: string) => (text.startsWith("USB") ? text : text.charAt(0).toLowerCase() + text.slice(1));
const settled = (told: AirframeTold) =>
  told.facing.off_deg !== null && told.facing.off_deg <= 5 && told.level.taken && (told.level.off_deg ?? 9) <= 1;

function verdict(told: AirframeTold): string {
  const { facing, level } = told;
  if (told.why_none) return `How it sits need not be found: ${told.why_none}.`;
  if (!told.idea) return "The board does not run, so it has no idea how it lies.";
  if (told.asking) return "Taking what your hands hold.";
  if (!facing.found) return "Nobody has found yet how the board sits in this craft.";
  if (facing.usb_not) return `By the poses ${facing.found}, and you see it otherwise.`;
  if ((facing.off_deg ?? 0) > 5)
    return `${facing.found}, and the board believes otherwise: the craft would roll over as it leaves the ground.`;
  if (!facing.usb_so) return `${facing.found}, and the board runs it so. Look: does it?`;
  if (!level.taken) return `${facing.found}, seen and set. Next: what it takes for level.`;
  if ((level.off_deg ?? 0) > 1) return "The board sits as it believes, and is not level yet.";
  return "The board knows how it sits, and what is level.";
}
