import Box from "@mui/material/Box";
import type { LightShown } from "../api/types";
import { colours } from "../look/colours";

const INKS: Record<LightShown["colour"], string> = {
  none: colours.tarnish,
  red: colours.oxide,
  green: colours.verdigris,
  blue: colours.slate,
  amber: colours.amber,
};
const FRAMES: Record<LightShown["pattern"], [seconds: number, frames: Record<string, { opacity: number }>]> = {
  off: [0, {}],
  steady: [0, {}],
  "slow blink": [1.2, { "0%, 49%": { opacity: 1 }, "50%, 100%": { opacity: 0.15 } }],
  "fast blink": [0.3, { "0%, 49%": { opacity: 1 }, "50%, 100%": { opacity: 0.15 } }],
  "double blink": [
    1.2,
    { "0%, 12%": { opacity: 1 }, "13%, 24%": { opacity: 0.15 }, "25%, 37%": { opacity: 1 }, "38%, 100%": { opacity: 0.15 } },
  ],
};

export function lightWords(light: LightShown): string {
  return light.pattern === "off" ? "Dark." : `${light.colour.charAt(0).toUpperCase()}${light.colour.slice(1)}, ${light.pattern}.`;
}

/** A light as it looks; its words stand beside it. */
export function ShownLight({ light, size = 11 }: { light: LightShown; size?: number }) {
  const [seconds, frames] = FRAMES[light.pattern];
  const name = `light-${light.pattern.replace(" ", "-")}`;
  return (
    <Box
      aria-hidden="true"
      component="span"
      sx={{
        display: "inline-block",
        flex: "none",
        width: size,
        height: size,
        borderRadius: "50%",
        bgcolor: light.pattern === "off" ? "transparent" : INKS[light.colour],
        border: `1.5px solid ${INKS[light.colour]}`,
        animation: seconds ? `${name} ${seconds}s infinite` : "none",
        [`@keyframes ${name}`]: frames,
      }}
    />
  );
}
