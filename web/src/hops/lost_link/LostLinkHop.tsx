import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { sendHands, useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { columns, usePhone } from "../../look/phone";
import { AlarmView } from "./AlarmView";
import { LossPicture } from "./LossPicture";
import { LossProofs } from "./LossProofs";
import { LossSentence } from "./LossSentence";
import { OverTheGround } from "./OverTheGround";
import { type Place, PlaceSentence } from "./PlaceSentence";

export function LostLinkHop({ craft, parts, edit }: HopProps) {
  const report = useBenchStore((state) => state.report);
  const live = useBenchStore((state) => state.live);
  const [alarm, lookAtAlarm] = useState(false);
  const phone = usePhone();
  const { settings } = craft.document;
  const lost = settings.lost_link;
  const told = report?.told.lost_link;
  if (!report || !told || !live) return <p>Listening…</p>;
  const set = (change: Partial<typeof lost>) =>
    edit((document) => {
      document.settings.lost_link = { ...document.settings.lost_link, ...change };
      return document;
    });
  const say = (change: Partial<Place> | ((now: Place) => Partial<Place>)) =>
    edit((document) => {
      const now = { ...told.place, ...document.place };
      return { ...document, place: { ...now, ...(typeof change === "function" ? change(now) : change) } };
    });
  if (alarm) return <AlarmView craft={craft} told={told} edit={edit} onBack={() => lookAtAlarm(false)} />;
  const toAlarm = (
    <Button variant="outlined" onClick={() => lookAtAlarm(true)}>
      Alarm line from a log
    </Button>
  );
  const wing = craft.document.airframe === "plane" || craft.document.airframe === "wing";
  return (
    <>
      <HopHead title="Lost link" question="What does the craft do when the link dies, where, and when?">
        {!phone && toAlarm}
      </HopHead>
      <Box sx={{ display: "flex", alignItems: "center", gap: 2, mb: 1.5 }}>
        <Box
          role="status"
          sx={{
            fontSize: 17,
            fontWeight: 600,
            color: told.proven ? colours.verdigris : told.loss?.fooled_t || told.loss?.rearmed_by_itself ? colours.oxide : colours.ink,
          }}
        >
          {told.verdict}
        </Box>
        <Box sx={{ flex: 1 }} />
        <Button
          sx={{ whiteSpace: "nowrap", flexShrink: 0 }}
          variant={live.transmitter_on ? "outlined" : "contained"}
          onClick={() => sendHands({ transmitter_on: !live.transmitter_on })}
        >
          {live.transmitter_on ? "Transmitter off" : "Transmitter on"}
          <Box component="span" aria-hidden="true" sx={{ ml: 0.75, opacity: 0.7, display: { xs: "none", md: "inline" } }}>
            X
          </Box>
        </Button>
      </Box>
      <LossPicture told={told} now={live.t} wing={wing} hasSurfaces={Object.keys(live.board.surfaces).length > 0} />
      <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 6fr) minmax(0, 5fr)"), gap: 2.5, mt: 2 }}>
        <Box sx={{ display: "grid", gap: 2, alignContent: "start" }}>
          <Box component="section" aria-label="What is set">
            <Head>What is set, read along the chain</Head>
            <LossSentence
              document={craft.document}
              receiver={parts.receiver}
              graceStep={parts.board.grace_step_ms ?? 20}
              told={told}
              set={set}
              edit={edit}
            />
            <Box sx={{ fontSize: 13, color: "text.secondary", mt: 1 }}>{told.prediction.because}</Box>
            {lost.response === "return home" && (
              <Box sx={{ fontSize: 13, color: "text.secondary", mt: 0.5 }}>
                Nearer to home than {told.least_home_m} m it does not fly back: it {wing ? "circles" : "lands"} where it is.
              </Box>
            )}
            {lost.response !== "motors off" && (
              <Box sx={{ fontSize: 13, color: "text.secondary", mt: 0.5 }}>
                Low throttle never counts as landed to begin with, since a glide and a way down have it low. 60 us of a stick is seven times
                the jitter of rest, and no thumb does it unmeant.
              </Box>
            )}
            {told.preset_steps.length > 0 && (
              <Box component="ol" aria-label="How the receiver takes its preset" sx={{ fontSize: 13, m: 0, mt: 0.75, pl: 2.5 }}>
                {told.preset_steps.map((step) => (
                  <li key={step}>{step}</li>
                ))}
              </Box>
            )}
          </Box>
          <Box component="section" aria-label="The place">
            <Head>{told.place_said ? "The place" : "The place, by figures that are usual for such a craft: put in your own"}</Head>
            <PlaceSentence place={told.place} craft={craft.document} say={say} />
            {!told.place_said && (
              <Button variant="outlined" sx={{ mt: 1 }} onClick={() => say({})}>
                These are right for where I fly
              </Button>
            )}
            {told.charge && (
              <Box sx={{ fontSize: 13, color: told.charge.needs > told.charge.left ? colours.oxide : "text.secondary", mt: 1 }}>
                Coming home takes {told.charge.needs} mAh; {told.charge.left} are left above the reserve.
              </Box>
            )}
          </Box>
        </Box>
        <LossProofs told={told} />
        {phone && <div>{toAlarm}</div>}
      </Box>
      <OverTheGround
        told={told}
        returnHeight={told.prediction.does === "return home" || lost.response === "return home" ? (lost.return_height_m ?? 40) : null}
        say={say}
        setReturnHeight={(metres) => set({ return_height_m: metres })}
      />
      <Box sx={{ mt: 2 }}>
        <Box component="section" aria-label="What the board said">
          <Box component="h3" sx={{ m: 0, mb: 0.5, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
            What the board said, newest first
          </Box>
          <Box
            component="ol"
            sx={{ m: 0, p: 0, listStyle: "none", fontSize: 13, maxHeight: 170, overflow: "auto" }}
            tabIndex={0}
            aria-label="Board's log"
          >
            {[...report.log]
              .reverse()
              .slice(0, 30)
              .map((line) => (
                <li key={`${line.t} ${line.text}`}>
                  <span style={{ fontFamily: mono, color: colours.tarnishText, marginRight: 10 }}>{line.t.toFixed(2)} s</span>
                  {line.text}
                </li>
              ))}
            {report.log.length === 0 && <li>nothing yet</li>}
          </Box>
        </Box>
      </Box>
    </>
  );
}

function Head({ children }: { children: React.ReactNode }) {
  return (
    <Box component="h3" sx={{ m: 0, mb: 0.5, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
      {children}
    </Box>
  );
}
