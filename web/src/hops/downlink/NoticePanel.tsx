import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Link } from "react-router";
import type { Craft, CraftDocument, DownlinkTold } from "../../api/types";
import { sendHands } from "../../bench/useBench";
import { colours } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { SayChoice, SayNumber } from "../../look/Sentence";

type Alarm = NonNullable<CraftDocument["alarms"]>[number];
type Noticed = DownlinkTold["notices"][number];
type Sense = "eyes" | "ears" | "hands";
const SENSES: Sense[] = ["eyes", "ears", "hands"];
const WAYS: Record<string, Alarm["told"]> = {
  "speaks it": ["spoken"],
  "sounds a tone": ["tone"],
  buzzes: ["buzz"],
  "speaks it and buzzes": ["spoken", "buzz"],
  "speaks it, and the craft beeps": ["spoken", "beeper"],
  "keeps silent": [],
};

/** Will you notice? For each thing that matters what tells it in flight, to which senses, and how it rang. */
export function NoticePanel({ told, craft, setAlarms }: { told: DownlinkTold; craft: Craft; setAlarms: (alarms: Alarm[]) => void }) {
  const alarms = craft.document.alarms ?? [];
  const builds = craft.may.includes("build");
  const checks = craft.may.includes("check");
  const change = (index: number, to: Partial<Alarm>) => setAlarms(alarms.map((each, at) => (at === index ? { ...each, ...to } : each)));
  return (
    <Panel title="Will you notice?" aside="in flight, by eyes · ears · hands">
      <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0 }}>
        {told.notices.map((each) => (
          <Box
            component="li"
            key={each.notice}
            sx={{ borderTop: 1, borderColor: "divider", py: 0.75, "&:first-of-type": { borderTop: 0, pt: 0 } }}
          >
            <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
              <Box component="b" sx={{ fontSize: 13.5, flex: 1 }}>
                {each.says}
              </Box>
              <Senses of={each} />
            </Box>
            {each.alarms.map((one) => {
              const alarm = alarms[one.index];
              if (!alarm) return null;
              return (
                <Box key={one.index} sx={{ fontSize: 13, lineHeight: "28px" }}>
                  <Button
                    variant="text"
                    aria-label={`Take out the alarm for ${each.notice}`}
                    disabled={!builds}
                    onClick={() => setAlarms(alarms.filter((_, at) => at !== one.index))}
                    sx={{ float: "right", py: 0, px: 0.75, minWidth: 0, fontSize: 12.5, minHeight: "0 !important" }}
                  >
                    Take out
                  </Button>
                  <AlarmSentence alarm={alarm} unit={unitOf(told, alarm)} change={(to) => change(one.index, to)} />
                  <Box sx={{ display: "flex", alignItems: "center", gap: 1, flexWrap: "wrap", lineHeight: "22px" }}>
                    <Box component="span" role="status" sx={{ color: one.in_time ? colours.verdigris : "text.secondary", fontSize: 12.5 }}>
                      {one.rang_s === null
                        ? `not rung yet; it should within ${one.promised_s} s`
                        : `rang after ${one.rang_s} s, ${one.promised_s} s reckoned`}
                    </Box>
                    {each.hands_say && !one.in_time && (
                      <Button variant="outlined" disabled={!checks} onClick={() => sendHands(each.hands)}>
                        {each.hands_say}
                      </Button>
                    )}
                    {Object.keys(each.back).length > 0 && one.rang_s !== null && (
                      <Button variant="text" disabled={!checks} onClick={() => sendHands(each.back)}>
                        Undo that
                      </Button>
                    )}
                  </Box>
                </Box>
              );
            })}
            {each.deaf.map((why) => (
              <Box key={why} sx={{ fontSize: 12.5, color: colours.oxide }}>
                It cannot ring: {why}.
              </Box>
            ))}
            {(each.ways.eyes || each.blind) && (
              <Box sx={{ display: "flex", alignItems: "center", gap: 1, flexWrap: "wrap", fontSize: 12.5, lineHeight: "22px" }}>
                <Box
                  component="span"
                  role="status"
                  sx={{ color: each.blind ? colours.oxide : each.marked_s !== null ? colours.verdigris : "text.secondary" }}
                >
                  {each.ways.eyes ? `Eyes: ${each.ways.eyes}` : `Not seen: ${each.blind}`}
                  {each.must && each.ways.eyes && (each.marked_s === null ? "; not marked yet" : `; marked after ${each.marked_s} s`)}
                </Box>
                {each.alarms.length === 0 && each.must && each.hands_say && each.marked_s === null && (
                  <Button variant="outlined" disabled={!checks} onClick={() => sendHands(each.hands)}>
                    {each.hands_say}
                  </Button>
                )}
                {each.alarms.length === 0 && Object.keys(each.back).length > 0 && each.marked_s !== null && (
                  <Button variant="text" disabled={!checks} onClick={() => sendHands(each.back)}>
                    Undo that
                  </Button>
                )}
              </Box>
            )}
            {each.alarms.length === 0 && (
              <Box sx={{ fontSize: 12.5, color: each.must ? colours.oxide : "text.secondary" }}>
                {each.offer ? (
                  <Button
                    variant="outlined"
                    disabled={!builds}
                    sx={{ mt: 0.25 }}
                    onClick={() => each.offer && setAlarms([...alarms, each.offer])}
                  >
                    {each.offer_says}
                  </Button>
                ) : (
                  <>
                    {each.because}{" "}
                    {each.notice === "signal weak" && (
                      <Link to={`/crafts/${craft.id}/lost-link`} style={{ color: colours.verdigris, fontWeight: 600 }}>
                        Work out the alarm line
                      </Link>
                    )}
                  </>
                )}
              </Box>
            )}
            {each.offer && (
              <Box component="details" sx={{ fontSize: 12.5, color: "text.secondary", mt: 0.25 }}>
                <summary style={{ cursor: "pointer" }}>Why there</summary>
                {each.because}
              </Box>
            )}
          </Box>
        ))}
      </Box>
    </Panel>
  );
}

/** Three senses: those that are reached are full, the others only drawn. */
function Senses({ of }: { of: Noticed }) {
  const reached = SENSES.filter((sense) => of.ways[sense]);
  const said = reached.length > 0 ? reached.map((sense) => `${sense}: ${of.ways[sense]}`).join("; ") : "you would not notice";
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 0.75 }} role="img" aria-label={said} title={said}>
      <Box
        component="span"
        sx={{ fontSize: 12.5, color: reached.length > 0 ? colours.verdigris : of.must ? colours.oxide : "text.secondary" }}
      >
        {reached.length === 0 ? "nothing" : reached.length === 1 ? `${reached[0]} only` : reached.join(", ")}
      </Box>
      {SENSES.map((sense) => (
        <Box
          key={sense}
          component="span"
          sx={{
            width: 11,
            height: 11,
            borderRadius: "50%",
            bgcolor: of.ways[sense] ? colours.verdigris : "transparent",
            border: of.ways[sense] ? `1px solid ${colours.verdigris}` : `1px dashed ${colours.tarnish}`,
          }}
        />
      ))}
    </Box>
  );
}

function AlarmSentence({ alarm, unit, change }: { alarm: Alarm; unit: string; change: (to: Partial<Alarm>) => void }) {
  const way = Object.keys(WAYS).find((key) => same(WAYS[key] ?? [], alarm.told ?? [])) ?? "keeps silent";
  return (
    <>
      The transmitter{" "}
      <SayChoice
        label={`How ${alarm.notice} is told`}
        value={way}
        choices={Object.keys(WAYS).map((value) => ({ value, text: value }))}
        onSay={(value) => change({ told: WAYS[value] ?? [] })}
      />{" "}
      {alarm.notice === "wrong mode" ? (
        "at each change."
      ) : (
        <>
          {alarm.notice !== "telemetry gone" && (
            <>
              {alarm.above ? "above" : "under"}{" "}
              <SayNumber
                label={`Limit of ${alarm.notice}`}
                value={alarm.limit ?? 0}
                unit={unit}
                min={-1000}
                max={100000}
                onSay={(limit) => limit !== null && change({ limit })}
              />{" "}
              of {alarm.sensor === "position" ? "distance" : alarm.sensor}, over once it is{" "}
              <SayNumber
                label={`How far back ends ${alarm.notice}`}
                value={alarm.hysteresis ?? 0}
                unit={unit}
                min={0}
                max={1000}
                onSay={(hysteresis) => hysteresis !== null && change({ hysteresis })}
              />{" "}
              back,{" "}
            </>
          )}
          {alarm.notice === "telemetry gone" ? "after" : "for"}{" "}
          <SayNumber
            label={`Delay of ${alarm.notice}`}
            value={alarm.delay_s ?? 0}
            unit="s"
            min={0}
            max={60}
            onSay={(s) => s !== null && change({ delay_s: s })}
          />
          {alarm.notice === "telemetry gone" && " without any value"}, again every{" "}
          <SayNumber
            label={`Repeat of ${alarm.notice}`}
            value={alarm.repeat_s ?? 10}
            unit="s"
            min={0}
            max={300}
            onSay={(s) => s !== null && change({ repeat_s: s })}
          />
          .
        </>
      )}
    </>
  );
}

const same = (one: readonly string[], other: readonly string[]) => one.length === other.length && one.every((each) => other.includes(each));

function unitOf(told: DownlinkTold, alarm: Alarm): string {
  if (alarm.sensor === "position") return "m";
  return told.sensors.find((row) => row.sensor === alarm.sensor)?.unit ?? "";
}
