import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { DownlinkTold, Mend } from "../../api/types";
import { known, sendHands, useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { MendOf } from "../../findings/Mends";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { columns } from "../../look/phone";
import { NoticePanel } from "./NoticePanel";
import { PicturePanel } from "./PicturePanel";
import { SensorTable } from "./SensorTable";
import { SpeaksSentence } from "./SpeaksSentence";
import { WayHome } from "./WayHome";

export function DownlinkHop({ craft, edit }: HopProps) {
  const told = useBenchStore((state) => state.report?.told.downlink);
  const version = useBenchStore((state) => known(state)?.draft_version);
  if (!told) return <p>Listening…</p>;
  const setup = craft.document.settings.telemetry ?? {};
  const set = (change: Partial<typeof setup>) =>
    edit((document) => {
      document.settings.telemetry = { ...document.settings.telemetry, ...change };
      return document;
    });
  const off = setup.off ?? [];
  const mend = (each: Mend) => (
    <MendOf mend={each} craft={craft} hop="downlink" current={version === craft.version} onMend={(edits) => edit(edits, version)} />
  );
  const missing = told.of - told.come;
  const checks = craft.may.includes("check");
  const picture = (
    <PicturePanel
      told={told.picture}
      none={told.no_picture}
      craft={craft}
      edit={edit}
      take={(each) => edit(each.edits ?? [], version)}
      mend={mend}
      current={version === craft.version}
    />
  );
  return (
    <>
      <HopHead title="Downlink" question="What comes back from the craft, how old is it, and what is missing?">
        {!told.none && (
          <Button
            disabled={!checks}
            variant={told.looking ? "outlined" : "contained"}
            onClick={() => sendHands({ looking: !told.looking })}
          >
            {told.looking ? "Stop looking for sensors" : "Look for sensors"}
          </Button>
        )}
      </HopHead>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1.5, flexWrap: "wrap" }}>
        <Box role="status" sx={{ fontSize: 17, fontWeight: 600, color: !told.none && missing === 0 ? colours.verdigris : colours.ink }}>
          {verdict(told)}
        </Box>
        {told.none && mend({ text: "Look for a receiver that has it", edits: [], hands: {}, act: "", go: "kit", panel: "" })}
        {!told.none &&
          told.stopped?.code !== "not looked for" &&
          told.stopped?.mends?.map((each) => <span key={each.text}>{mend(each)}</span>)}
      </Box>
      {told.none ? (
        <Box sx={{ maxWidth: 640 }}>
          All that you will know of this craft in the air is what you see of it. Its pack, its signal and its mode cannot warn you at the
          transmitter; a timer is what is left.
        </Box>
      ) : (
        <WayHome told={told} />
      )}
      {!told.none && (
        <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) 348px"), gap: 2.5, mt: 2 }}>
          <Box sx={{ display: "grid", gap: 2.5, alignContent: "start" }}>
            <SensorTable
              told={told}
              checks={checks}
              onTell={(row) => set({ off: row.off ? off.filter((each) => each !== row.sensor) : [...off, row.sensor] })}
              mend={mend}
            />
            <SpeaksSentence told={told} setup={setup} set={set} />
          </Box>
          <Box sx={{ display: "grid", gap: 2.5, alignContent: "start" }}>
            <NoticePanel told={told} craft={craft} setAlarms={(alarms) => edit((document) => ({ ...document, alarms }))} />
          </Box>
        </Box>
      )}
      {!(told.none && !told.picture) && <Box sx={{ mt: 2.5 }}>{picture}</Box>}
    </>
  );
}

function verdict(told: DownlinkTold): string {
  if (told.none) return `Nothing can come back: ${told.none}.`;
  if (told.stopped && told.stopped.code !== "not looked for") return `Nothing that the board tells arrives: ${told.stopped.says}.`;
  if (told.come === told.of) return `All ${told.of} sensors of this kit come, as often as was reckoned.`;
  const came = told.sensors.filter((row) => row.expected && row.age_s !== null).length;
  if (came === 0 && !told.looking) return `${told.of} sensors should come. Look for them, and each appears with its first value.`;
  if (came < told.of) return `${came} of ${told.of} sensors have come. What keeps the others stands beside them.`;
  return `All ${told.of} have come; ${told.of - told.come} of them not often enough yet.`;
}
