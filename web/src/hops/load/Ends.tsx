import Box from "@mui/material/Box";
import type { DeviceView, JobState, LoadTold, Outlook, Role } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { onArrow } from "../../look/onArrow";
import { columns } from "../../look/phone";
import { SignalLine } from "../../look/SignalLine";

export const ROLE_WORDS: Record<Role, string> = { transmitter: "Transmitter's end", receiver: "Receiver", board: "Board" };
export const VERDICT_INK: Record<Outlook["verdict"], string> = {
  talks: colours.verdigris,
  "talks with less": colours.copperText,
  "do not match": colours.oxide,
};

/** Both ends with the link between them, and the board: what each runs, and whether the ends understand each other. */
export function Ends({ load, jobs, chosen, onChoose }: { load: LoadTold; jobs: JobState[]; chosen: Role; onChoose: (role: Role) => void }) {
  const device = (role: Role) => load.devices.find((each) => each.role === role);
  const card = (role: Role) => {
    const found = device(role);
    const job = jobs.find((each) => each.order.role === role && each.ended_t === null);
    return found && <DeviceCard device={found} job={job} chosen={chosen === role} onChoose={() => onChoose(role)} />;
  };
  return (
    <Box
      role="radiogroup"
      aria-label="Device"
      onKeyDown={onArrow}
      sx={{ display: "grid", gridTemplateColumns: columns("minmax(0,1fr) 172px minmax(0,1fr) 28px minmax(0,1fr)"), alignItems: "stretch" }}
    >
      {card("transmitter")}
      <LinkLine link={load.link} arrives={load.arrives} />
      {card("receiver")}
      <Box
        aria-hidden="true"
        sx={{
          alignSelf: "center",
          justifySelf: "center",
          width: { xs: 0, md: "100%" },
          height: { xs: 16, md: 0 },
          border: `1px solid ${colours.hairline}`,
        }}
      />
      {card("board")}
    </Box>
  );
}

function DeviceCard({
  device,
  job,
  chosen,
  onChoose,
}: {
  device: DeviceView;
  job: JobState | undefined;
  chosen: boolean;
  onChoose: () => void;
}) {
  const runs = device.runs;
  return (
    <Box
      component="button"
      type="button"
      role="radio"
      aria-checked={chosen}
      tabIndex={chosen ? 0 : -1}
      aria-label={`${ROLE_WORDS[device.role]}: ${device.name}`}
      onClick={onChoose}
      sx={{
        font: "inherit",
        textAlign: "left",
        color: "inherit",
        cursor: "pointer",
        bgcolor: "background.paper",
        border: chosen ? `2px solid ${colours.copper}` : `1px solid ${colours.hairline}`,
        m: chosen ? 0 : "1px",
        borderRadius: 1.5,
        px: 1.75,
        py: 1.25,
        minHeight: 118,
        display: "grid",
        gap: 0.25,
        alignContent: "start",
      }}
    >
      <Box component="span" sx={{ fontSize: 12.5, color: "text.secondary" }}>
        {ROLE_WORDS[device.role]}
      </Box>
      <Box component="span" sx={{ fontWeight: 600, fontSize: 15 }}>
        {device.name}
      </Box>
      {job ? (
        <Box component="span" sx={{ color: colours.copperText, fontFamily: mono, fontSize: 13.5 }}>
          flashing, {job.percent?.toFixed(0)} %
        </Box>
      ) : !device.can_flash ? (
        <Box component="span" sx={{ fontSize: 13, color: "text.secondary" }}>
          cannot be flashed: it runs what it was made with
        </Box>
      ) : runs ? (
        <>
          <Box component="span" sx={{ fontFamily: mono, fontSize: 19, fontWeight: 500 }}>
            {runs.version}
          </Box>
          <Box component="span" sx={{ fontSize: 12.5, fontFamily: mono }}>
            {[runs.family, runs.band, runs.region].filter(Boolean).join(" · ") || device.target}
          </Box>
        </>
      ) : (
        <Box component="span" sx={{ color: colours.oxide, fontWeight: 600 }}>
          no whole firmware
        </Box>
      )}
      {device.can_flash && (
        <Box component="span" sx={{ fontSize: 12, color: "text.secondary" }}>
          {device.in_bootloader && !job ? "in its bootloader" : `bootloader ${device.bootloader}`}
        </Box>
      )}
    </Box>
  );
}

function LinkLine({ link, arrives }: { link: Outlook | null; arrives: LoadTold["arrives"] }) {
  if (!link) return <span />;
  const ink = VERDICT_INK[link.verdict];
  const apart = link.verdict === "do not match";
  return (
    <Box sx={{ textAlign: "center", px: 1, alignSelf: "center" }}>
      <Box sx={{ fontWeight: 700, color: ink, fontSize: 14 }}>{link.verdict}</Box>
      <Box sx={{ my: 0.5, mx: -1 }}>
        <SignalLine flows={!apart} ink={ink} />
      </Box>
      <Box sx={{ fontSize: 12, color: "text.secondary", lineHeight: 1.35 }}>
        {apart
          ? link.because.join("; ")
          : `${link.channels} channels cross the air, ${link.telemetry ? "with telemetry" : "without telemetry"}`}
        {arrives && arrives.channels < link.channels && (
          <Box>
            {arrives.channels} arrive; the limit is {arrives.limit}
          </Box>
        )}
      </Box>
    </Box>
  );
}
