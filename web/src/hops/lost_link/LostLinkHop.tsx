import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { sendHands, useBenchStore } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { NumberField } from "../../look/NumberField";
import { columns } from "../../look/phone";
import { LossTimeline } from "./LossTimeline";

export function LostLinkHop({ craft, parts, edit }: HopProps) {
  const report = useBenchStore((state) => state.report);
  const live = useBenchStore((state) => state.live);
  const { settings, receiver } = craft.document;
  const lost = settings.lost_link;
  const told = report?.told.lost_link;
  if (!report || !told || !live) return <p>Listening…</p>;
  const set = (change: Partial<typeof lost>) =>
    edit((document) => {
      document.settings.lost_link = { ...document.settings.lost_link, ...change };
      return document;
    });
  return (
    <>
      <HopHead title="Lost link" question="What does the craft do when the link dies, and when?" />
      <Box sx={{ display: "flex", alignItems: "center", gap: 2, mb: 1.5 }}>
        <Box
          role="status"
          sx={{
            fontSize: 17,
            fontWeight: 600,
            color: told.proven ? colours.verdigris : live.board.link === "lost" || told.loss?.fooled_t ? colours.oxide : colours.ink,
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
      <LossTimeline prediction={told.prediction} run={told.loss} now={live.t} response={lost.response} />
      <Box sx={{ display: "grid", gridTemplateColumns: columns("1fr 1fr"), gap: 2.5, mt: 2 }}>
        <Box component="section" aria-label="What is set" sx={{ display: "grid", gap: 1.5, alignContent: "start" }}>
          <Box component="h3" sx={{ m: 0, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
            What is set
          </Box>
          <Box sx={{ display: "flex", gap: 1.25, flexWrap: "wrap" }}>
            <TextField
              select
              label={`${parts.receiver.name} on loss`}
              value={receiver.on_loss}
              onChange={(event) =>
                edit((document) => {
                  document.receiver = { ...document.receiver, on_loss: event.target.value as "hold" };
                  return document;
                })
              }
              sx={{ width: 160 }}
            >
              {parts.receiver.on_loss.map((each) => (
                <MenuItem key={each} value={each}>
                  {each}
                </MenuItem>
              ))}
            </TextField>
            {told.preset.map(({ what, channel, us }) => (
              <NumberField
                key={what}
                label={`Its ${what}, CH${channel}`}
                value={us}
                unit="us"
                step={10}
                min={800}
                max={2200}
                width={130}
                onCommit={(to) =>
                  edit((document) => {
                    document.receiver = { ...document.receiver, preset_us: told.preset_us.with(channel - 1, to) };
                    return document;
                  })
                }
              />
            ))}
            <NumberField
              label="Board's grace"
              step={parts.board.grace_step_ms}
              value={lost.grace_ms}
              unit="ms"
              min={40}
              max={5000}
              width={130}
              onCommit={(grace) => set({ grace_ms: Math.round(grace) })}
            />
            <TextField
              select
              label="Throttle falls back to"
              value={lost.throttle_fallback}
              onChange={(event) => set({ throttle_fallback: event.target.value as "low" })}
              sx={{ width: 160 }}
            >
              <MenuItem value="low">low</MenuItem>
              <MenuItem value="hold">hold</MenuItem>
            </TextField>
            <TextField
              select
              label="Response"
              value={lost.response}
              onChange={(event) => set({ response: event.target.value as "land" })}
              sx={{ width: 120 }}
            >
              <MenuItem value="motors off">motors off</MenuItem>
              <MenuItem value="land">land</MenuItem>
            </TextField>
          </Box>
          <Box sx={{ fontSize: 13, color: "text.secondary", maxWidth: 420 }}>{told.prediction.because}</Box>
        </Box>
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
