import Box from "@mui/material/Box";
import { useState } from "react";
import type { BindView, LightShown } from "../../api/types";
import { lightWords, ShownLight } from "../../bench/ShownLight";
import { colours } from "../../look/colours";
import { Panel } from "../../look/Panel";

const same = (one: LightShown, other: LightShown) => one.colour === other.colour && one.pattern === other.pattern;

/** The pilot picks what is seen; this receiver's meaning of it stands below. */
export function LightsPicker({ lights, receiver }: { lights: BindView["lights"]; receiver: string }) {
  const [seen, setSeen] = useState<LightShown | null>(null);
  const found = seen && lights.meanings.find((each) => same(each.light, seen));
  const button = (light: LightShown) => {
    const on = seen !== null && same(seen, light);
    return (
      <Box
        component="button"
        type="button"
        key={`${light.colour} ${light.pattern}`}
        aria-pressed={on}
        aria-label={lightWords(light)}
        onClick={() => setSeen(light)}
        sx={{
          font: "inherit",
          fontSize: 12,
          cursor: "pointer",
          bgcolor: on ? colours.bench : "background.paper",
          border: on ? `2px solid ${colours.copper}` : `1px solid ${colours.hairline}`,
          m: on ? 0 : "1px",
          borderRadius: 1,
          py: 0.6,
          px: 0.5,
          display: "grid",
          justifyItems: "center",
          gap: 0.25,
          color: "text.secondary",
        }}
      >
        <ShownLight light={light} size={14} />
        {light.pattern}
      </Box>
    );
  };
  return (
    <Panel title="Lights" aside="what do you see?">
      <Box sx={{ display: "grid", gap: 0.5 }}>
        {lights.colours.map((colour) => (
          <Box
            key={colour}
            sx={{
              display: "grid",
              gridTemplateColumns: `repeat(${lights.patterns.filter((each) => each !== "off").length}, minmax(0, 1fr))`,
              gap: 0.5,
            }}
          >
            {lights.patterns.filter((pattern) => pattern !== "off").map((pattern) => button({ colour, pattern }))}
          </Box>
        ))}
        {button({ colour: "none", pattern: "off" })}
      </Box>
      <Box role="status" sx={{ mt: 1.25, fontSize: 13.5, minHeight: 60 }}>
        {!seen && <Box sx={{ color: "text.secondary" }}>Pick the light's colour and pattern, on the real receiver or on the bench.</Box>}
        {found && found.means.length === 0 && <span>The {receiver} never shows that. Look again, or it is another receiver.</span>}
        {found?.means.map((meaning) => (
          <Box key={meaning.says} sx={{ mb: 0.75 }}>
            <b>{meaning.says}</b> {meaning.do}
          </Box>
        ))}
      </Box>
    </Panel>
  );
}
