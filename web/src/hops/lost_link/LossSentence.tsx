import Button from "@mui/material/Button";
import type { CraftDocument, Told } from "../../api/types";
import { SayChoice, SayNumber, Sentence } from "../../look/Sentence";

type Lost = CraftDocument["settings"]["lost_link"];
type LostTold = NonNullable<Told["lost_link"]>;

const ON_LOSS = { hold: "repeats its last values", "no pulses": "goes silent", preset: "sends values of its own" } as const;
const FLIES = new Set(["land", "return home", "loiter"]);

/** What is set, read along the chain: receiver, board, response, and what ends it. */
export function LossSentence({
  document: craft,
  receiver,
  graceStep,
  told,
  set,
  edit,
}: {
  document: CraftDocument;
  receiver: { name: string; on_loss: readonly ("hold" | "no pulses" | "preset")[]; rssi_channel: number | null };
  graceStep: number;
  told: LostTold;
  set: (change: Partial<Lost>) => void;
  edit: (change: (document: CraftDocument) => CraftDocument) => void;
}) {
  const lost = craft.settings.lost_link;
  const wing = craft.airframe === "plane" || craft.airframe === "wing";
  const ground = craft.airframe === "boat" || craft.airframe === "rover";
  const flies = FLIES.has(lost.response);
  return (
    <>
      <Sentence>
        With the radio dead the {receiver.name}{" "}
        <SayChoice
          label={`${receiver.name} on loss`}
          value={craft.receiver.on_loss}
          choices={receiver.on_loss.map((value) => ({ value, text: ON_LOSS[value] }))}
          onSay={(on_loss) => edit((document) => ({ ...document, receiver: { ...document.receiver, on_loss } }))}
        />
        {told.preset.map(({ what, channel, us }, index) => (
          <span key={what}>
            {index === 0 ? ": " : ", "}
            {what}, CH{channel}, at{" "}
            <SayNumber
              label={`Its ${what}, CH${channel}`}
              value={us}
              unit="us"
              min={800}
              max={2200}
              onSay={(to) =>
                edit((document) => ({
                  ...document,
                  receiver: { ...document.receiver, preset_us: told.preset_us.with(channel - 1, to ?? us) },
                }))
              }
            />
          </span>
        ))}
        . The board waits{" "}
        <SayNumber
          label="Board's grace"
          value={lost.grace_ms}
          unit="ms"
          step={graceStep}
          min={40}
          max={5000}
          onSay={(grace) => grace !== null && set({ grace_ms: Math.round(grace) })}
        />{" "}
        and then the craft{" "}
        <SayChoice
          label="Response"
          value={lost.response}
          choices={told.responses.map((each) => ({ value: each.response, text: each.says, why: each.why_not }))}
          onSay={(response) => set({ response })}
        />
        <Carried lost={lost} wing={wing} ground={ground} told={told} set={set} />
      </Sentence>
      <Sentence>
        Roll, pitch and yaw rest in the middle, throttle{" "}
        <SayChoice
          label="Throttle falls back to"
          value={lost.throttle_fallback ?? "low"}
          choices={[
            { value: "low", text: craft.settings.reversing_drives ? "goes to the middle" : "goes low" },
            { value: "hold", text: "holds" },
            { value: "value", text: "takes a value" },
          ]}
          onSay={(throttle_fallback) => set({ throttle_fallback })}
        />
        {lost.throttle_fallback === "value" && (
          <>
            {" "}
            <SayNumber
              label="Throttle on loss"
              value={lost.throttle_us ?? 1300}
              unit="us"
              min={800}
              max={2200}
              onSay={(us) => us !== null && set({ throttle_us: us })}
            />
          </>
        )}
        , switches stay as they were
        <Switches craft={craft} set={set} />. The drives turn{" "}
        <SayChoice
          label="Drives turn"
          value={craft.settings.reversing_drives ? "both ways" : "one way"}
          choices={[
            { value: "one way", text: "one way" },
            { value: "both ways", text: "both ways" },
          ]}
          onSay={(way) => edit((document) => ({ ...document, settings: { ...document.settings, reversing_drives: way === "both ways" } }))}
        />
        .
      </Sentence>
      {(receiver.rssi_channel || craft.settings.rssi_channel) && (
        <Sentence>
          RSSI comes on{" "}
          <SayChoice
            label="RSSI comes on"
            value={craft.settings.rssi_channel ? String(craft.settings.rssi_channel) : "none"}
            choices={[
              { value: "none", text: "no channel" },
              ...[...new Set([receiver.rssi_channel, craft.settings.rssi_channel])].flatMap((each) =>
                each ? [{ value: String(each), text: `CH${each}` }] : [],
              ),
            ]}
            onSay={(channel) =>
              edit((document) => ({
                ...document,
                settings: { ...document.settings, rssi_channel: channel === "none" ? null : Number(channel) },
              }))
            }
          />{" "}
          and on loss{" "}
          <SayChoice
            label="RSSI on loss"
            value={(craft.settings.rssi_falls ?? true) ? "falls" : "stays"}
            choices={[
              { value: "falls", text: "falls to its lowest" },
              { value: "stays", text: "stays as it was" },
            ]}
            onSay={(what) => edit((document) => ({ ...document, settings: { ...document.settings, rssi_falls: what === "falls" } }))}
          />
          ; it is no switch's channel, and counts as none.
        </Sentence>
      )}
      {flies && (
        <Sentence>
          Throttle low for{" "}
          <SayNumber
            label="Throttle low counts as landed after"
            value={lost.throttle_low_s ? lost.throttle_low_s : null}
            unit="s"
            empty="never"
            min={0}
            max={60}
            onSay={(s) => set({ throttle_low_s: Math.round(s ?? 0) })}
          />{" "}
          before the loss counts as landed. The link takes over again{" "}
          <SayChoice
            label="What ends the response"
            value={lost.ends ?? "sticks moved"}
            choices={[
              { value: "sticks moved", text: "once a stick has moved" },
              { value: "at once", text: "at once" },
            ]}
            onSay={(ends) => set({ ends })}
          />
          {(lost.ends ?? "sticks moved") === "sticks moved" && (
            <>
              {" "}
              by{" "}
              <SayNumber
                label="Stick movement that takes over"
                value={lost.moved_us ?? 60}
                unit="us"
                min={20}
                max={300}
                onSay={(us) => us !== null && set({ moved_us: Math.round(us) })}
              />
            </>
          )}
          .
        </Sentence>
      )}
    </>
  );
}

/** How a response is carried out, with what it can be told. */
function Carried({
  lost,
  wing,
  ground,
  told,
  set,
}: {
  lost: Lost;
  wing: boolean;
  ground: boolean;
  told: LostTold;
  set: (change: Partial<Lost>) => void;
}) {
  const descent = (
    <SayNumber
      label="Rate of descent"
      value={lost.descent_mps ?? 1.5}
      unit="m/s"
      min={0.3}
      max={3}
      onSay={(mps) => mps !== null && set({ descent_mps: mps })}
    />
  );
  const hover = (
    <SayNumber
      label="Hover throttle"
      value={lost.hover_percent ?? null}
      unit="%"
      empty="not measured"
      min={10}
      max={90}
      onSay={(hover_percent) => set({ hover_percent })}
    />
  );
  if (lost.response === "land") {
    if (wing) return <>: motor off, in a gentle bank.</>;
    if (told.lands_by === "height") return <> at {descent}.</>;
    return (
      <>
        {" "}
        by its hover throttle, {hover} (it should be about {told.hover_percent} %, by its thrust).
      </>
    );
  }
  if (lost.response === "return home")
    return (
      <>
        {!ground && ", climbing "}
        {ground ? null : wing ? (
          "on the way"
        ) : (
          <SayChoice
            label="Climb first"
            value={(lost.climb_first ?? true) ? "first" : "on the way"}
            choices={[
              { value: "first", text: "first" },
              { value: "on the way", text: "on the way" },
            ]}
            onSay={(when) => set({ climb_first: when === "first" })}
          />
        )}
        {!ground && (
          <>
            {" "}
            to{" "}
            <SayNumber
              label="Return height"
              value={lost.return_height_m ?? 40}
              unit="m"
              min={5}
              max={500}
              onSay={(m) => m !== null && set({ return_height_m: Math.round(m) })}
            />
          </>
        )}
        , at{" "}
        <SayNumber
          label="Return speed"
          value={lost.return_mps ?? 10}
          unit="m/s"
          min={2}
          max={40}
          onSay={(mps) => mps !== null && set({ return_mps: mps })}
        />
        ; there it{" "}
        <SayChoice
          label="At home"
          value={lost.at_home ?? "land"}
          choices={[
            { value: "land", text: ground ? "stops its motors" : "lands" },
            { value: "circle", text: wing ? "circles" : "stays" },
          ]}
          onSay={(at_home) => set({ at_home })}
        />
        {!wing && !ground && (lost.at_home ?? "land") === "land" && <> at {descent}</>}. <Without lost={lost} set={set} />
      </>
    );
  if (lost.response === "loiter")
    return (
      <>
        . <Without lost={lost} set={set} />
      </>
    );
  return <>.</>;
}

function Without({ lost, set }: { lost: Lost; set: (change: Partial<Lost>) => void }) {
  return (
    <>
      Without a home it{" "}
      <SayChoice
        label="Without a home"
        value={lost.without_home ?? "no arming"}
        choices={[
          { value: "no arming", text: "does not arm" },
          { value: "motors off", text: "arms, and its motors stop instead" },
        ]}
        onSay={(without_home) => set({ without_home })}
      />
      .
    </>
  );
}

/** Switch channels that take a value of their own. */
function Switches({ craft, set }: { craft: CraftDocument; set: (change: Partial<Lost>) => void }) {
  const values = craft.settings.lost_link.switches_us ?? {};
  const said = Object.entries(values);
  const used = new Set(craft.settings.modes?.map((band) => band.channel));
  const free = [...used]
    .filter((channel) => channel > 4 && channel !== craft.settings.arming?.channel && !(channel in values))
    .sort((a, b) => a - b);
  const without = (channel: string) => Object.fromEntries(said.filter(([each]) => each !== channel));
  return (
    <>
      {said.map(([channel, us], index) => (
        <span key={channel}>
          {index === 0 ? ", save " : ", "}CH{channel} at{" "}
          <SayNumber
            label={`CH${channel} on loss`}
            value={us}
            unit="us"
            empty="as it was"
            min={800}
            max={2200}
            onSay={(to) => set({ switches_us: to === null ? without(channel) : { ...values, [channel]: to } })}
          />
        </span>
      ))}
      {free.length > 0 && (
        <Button
          variant="text"
          sx={{ fontSize: 12.5, px: 0.5, mr: -0.5, py: 0, minWidth: 0, minHeight: "0 !important", verticalAlign: "baseline" }}
          onClick={() => set({ switches_us: { ...values, [String(free[0])]: 1500 } })}
        >
          {said.length ? "another one too" : "let one take a value"}
        </Button>
      )}
    </>
  );
}
