import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import type { AirframeTold, CraftDocument, Mend } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { columns } from "../../look/phone";
import { SayNumber, Sentence } from "../../look/Sentence";
import { SetRight } from "./SetRight";

type Told = AirframeTold["answers"][number];
type Answer = NonNullable<CraftDocument["settings"]["answer"]>;
type Axis = keyof Answer;
const OF_ANSWERS = /^airframe\.(stick-turns-back|both-bend|asks-too-much|yaw-apart)/;
const W = 250;
const H = 150;
const PAD = 26;

/** From the stick's place to degrees a second: one curve an axis, both ends composed. */
export function AnswersPanel({
  told,
  answer,
  set,
  mend,
}: {
  told: AirframeTold;
  answer: Answer;
  set: (axis: Axis, change: Partial<NonNullable<Answer[Axis]>>) => void;
  mend: (each: Mend) => ReactNode;
}) {
  if (told.answers.length === 0) return <Panel title="How it answers">No stick turns this craft, or none is carried by a channel.</Panel>;
  const most = Math.max(...told.answers.map((each) => Math.max(each.full_dps, each.gives_dps)));
  return (
    <Panel title="How it answers" aside="as the board runs; sentences change the draft">
      <Box sx={{ display: "grid", gridTemplateColumns: columns("repeat(3, minmax(0, 1fr))"), gap: 2 }}>
        {told.answers.map((each) => (
          <section key={each.axis} aria-label={`How ${each.axis} answers`}>
            <b>{each.axis}</b>
            <Curve told={each} most={most} />
            <Box sx={{ fontSize: 13.5 }}>
              Full stick asks {each.full_dps}, half {each.half_dps} degrees a second; the first step out of the deadband {each.least_dps}.
              This airframe gives about {each.gives_dps}.
            </Box>
            <Now now={told.turns_now.find((one) => one.axis === each.axis)} />
            <Sentence>
              The board turns it{" "}
              <SayNumber
                label={`Most of ${each.axis}`}
                value={answer[each.axis as Axis]?.most_dps ?? null}
                unit="degrees a second"
                min={10}
                max={2000}
                empty="as fast as it can"
                onSay={(dps) => set(each.axis as Axis, { most_dps: dps === null ? null : Math.round(dps) })}
              />
              ,{" "}
              <SayNumber
                label={`Softness of ${each.axis}`}
                value={answer[each.axis as Axis]?.soft_percent ?? 0}
                unit="% softer about the middle"
                min={0}
                max={100}
                onSay={(percent) => percent !== null && set(each.axis as Axis, { soft_percent: Math.round(percent) })}
              />
              .
            </Sentence>
            <Box sx={{ fontSize: 12.5, color: "text.secondary" }}>
              In the model memory: {each.rate_percent} %{each.expo_percent ? `, ${each.expo_percent} % expo` : ", straight"}.
            </Box>
          </section>
        ))}
      </Box>
      <SetRight label="What is odd about it" codes={OF_ANSWERS} mend={mend} />
    </Panel>
  );
}

/** What the sticks ask of the stand-in craft just now, and how it turns by its motors and surfaces as they are. */
function Now({ now }: { now: AirframeTold["turns_now"][number] | undefined }) {
  if (!now) return null;
  const off = Math.abs(now.asked_dps - now.dps) > Math.max(30, Math.abs(now.asked_dps) / 2);
  return (
    <Box role="status" sx={{ fontSize: 13.5, color: off ? colours.oxide : colours.verdigris }}>
      Now it is asked {now.asked_dps}, and turns {now.dps}.
    </Box>
  );
}

function Curve({ told, most }: { told: Told; most: number }) {
  const x = (place: number) => PAD + ((place + 1) / 2) * (W - 2 * PAD);
  const y = (dps: number) => H / 2 - (dps / most) * (H / 2 - 14);
  const line = told.points.map(([place = 0, dps = 0], index) => `${index ? "L" : "M"}${x(place).toFixed(1)} ${y(dps).toFixed(1)}`).join("");
  const gives = y(Math.min(most, told.gives_dps));
  return (
    <svg
      viewBox={`0 0 ${W} ${H}`}
      role="img"
      aria-label={`${told.axis}: half stick ${told.half_dps}, full stick ${told.full_dps} degrees a second`}
      style={{ display: "block", width: "100%", maxWidth: 320 }}
    >
      <path d={`M${PAD} ${H / 2}H${W - PAD}M${W / 2} 8V${H - 8}`} stroke={colours.hairline} />
      <path d={`M${PAD} ${gives}H${W - PAD}`} stroke={colours.tarnish} strokeDasharray="3 4" />
      <text x={PAD + 2} y={gives - 3} fontSize={9.5} fill={colours.softInk}>
        gives {told.gives_dps}
      </text>
      <path d={line} fill="none" stroke={colours.verdigris} strokeWidth={2} />
      <text x={W - PAD} y={H / 2 + 12} textAnchor="end" fontSize={9.5} fill={colours.softInk}>
        full stick
      </text>
      <text
        x={W - 2}
        y={Math.max(11, y(told.points[told.points.length - 1]?.[1] ?? 0) - 5)}
        textAnchor="end"
        fontSize={10}
        fontFamily={mono}
        fill={colours.verdigris}
      >
        {told.full_dps} °/s
      </text>
    </svg>
  );
}
