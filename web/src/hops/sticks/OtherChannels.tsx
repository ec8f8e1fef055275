import Box from "@mui/material/Box";
import { memo } from "react";
import { useBenchStore } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";

const FIRST = 4;
const COUNT = 12;

/** The channels behind the sticks. `sources`: what drives each channel, from CH1 on, with commas between. */
export const OtherChannels = memo(function OtherChannels({ sources }: { sources: string }) {
  const names = sources.split(",");
  return (
    <Panel title="Other channels" aside="CH5 to CH16, us">
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(4, 1fr)", gap: 0.6 }}>
        {Array.from({ length: COUNT }, (_, index) => index + FIRST).map((index) => (
          <OtherChannel key={index} index={index} source={names[index]} />
        ))}
      </Box>
    </Panel>
  );
});

const OtherChannel = memo(function OtherChannel({ index, source }: { index: number; source: string | undefined }) {
  const us = useBenchStore((state) => {
    const now = state.live?.board.channels[index];
    return now === undefined ? undefined : Math.round(now);
  });
  const at = us === undefined ? null : Math.max(0, Math.min(1, (us - 900) / 1200));
  return (
    <Box
      sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 0.75, px: 0.75, pt: 0.1, pb: 0.4 }}
      title="ticks at 1000, 1500 and 2000 us"
    >
      <Box
        sx={{
          display: "flex",
          justifyContent: "space-between",
          alignItems: "baseline",
          fontSize: 11,
          color: "text.secondary",
          whiteSpace: "nowrap",
        }}
      >
        <span>
          {index + 1}
          {source ? ` ${source}` : ""}
        </span>
        <Box component="span" sx={{ fontFamily: mono, fontSize: 12.5, color: "text.primary" }}>
          {us === undefined ? "–" : us.toFixed(0)}
        </Box>
      </Box>
      <svg width="100%" height={7} viewBox="0 0 120 7" preserveAspectRatio="none" aria-hidden="true" style={{ display: "block" }}>
        <path d="M0 3.5H120M10 1V6M60 1V6M110 1V6" stroke={colours.tarnish} strokeWidth={1} fill="none" vectorEffect="non-scaling-stroke" />
        {at !== null && <path d={`M${at * 120} 0V7`} stroke={colours.copper} strokeWidth={2.5} vectorEffect="non-scaling-stroke" />}
      </svg>
    </Box>
  );
});
