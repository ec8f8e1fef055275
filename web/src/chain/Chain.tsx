import Box from "@mui/material/Box";
import { Link } from "react-router";
import type { Hop, HopState } from "../api/types";
import { known, useSteady } from "../bench/useBench";
import { COIN_WORDS, Coin } from "../look/Coin";
import { colours, mono } from "../look/colours";
import { HOPS, hopPath, hopTitle } from "./hops";

const UNKNOWN: HopState = { hop: "line", coin: "blank", why: "not looked at yet", value: "–", flows: false };

/** The signal line: every hop a place on it, drawn through as far as a signal passes now. */
export function Chain({ craftId, current }: { craftId: string; current: Hop }) {
  const states = useSteady((state) => known(state)?.chain ?? null) ?? undefined;
  return (
    <Box
      component="nav"
      aria-label="Chain"
      sx={{
        height: 104,
        borderBottom: 1,
        borderColor: "divider",
        display: "grid",
        gridTemplateColumns: `repeat(${HOPS.length}, 1fr)`,
        px: 2,
      }}
    >
      {HOPS.map((hop, index) => {
        const state = states?.find((each) => each.hop === hop) ?? { ...UNKNOWN, hop };
        const next = states?.find((each) => each.hop === HOPS[index + 1]);
        const here = hop === current;
        return (
          <Box key={hop} sx={{ position: "relative", display: "grid", justifyItems: "center", alignContent: "start", pt: 1.75 }}>
            {index === 0 && <Wire from="0px" to="calc(50% - 24px)" flows={state.flows || !states} breaks={states && !state.flows} />}
            {index > 0 && (
              <Wire from="0px" to="calc(50% - 24px)" flows={state.flows} breaks={!state.flows && (states?.[index - 1]?.flows ?? false)} />
            )}
            {next && <Wire from="calc(50% + 28px)" to="100%" flows={state.flows && next.flows} />}
            <Box
              component={Link}
              to={`/crafts/${craftId}/${hopPath(hop)}`}
              aria-current={here ? "page" : undefined}
              title={`${hopTitle(hop)}: ${state.why}`}
              sx={{
                display: "grid",
                justifyItems: "center",
                textDecoration: "none",
                color: here ? colours.ink : colours.softInk,
                borderRadius: 1,
                px: 1.5,
                "&:hover .name": { textDecoration: "underline" },
              }}
            >
              <Box sx={{ p: "4px", borderRadius: "24px", border: `2px solid ${here ? colours.copper : "transparent"}` }}>
                <Coin state={state.coin} label={COIN_WORDS[state.coin]} />
              </Box>
              <Box component="span" className="name" sx={{ fontSize: 13.5, fontWeight: here ? 700 : 500, lineHeight: 1.3 }}>
                {hopTitle(hop)}
              </Box>
              <Box
                component="span"
                sx={{ fontFamily: mono, fontSize: 11.5, color: state.coin === "cracked" ? colours.oxide : colours.tarnishText }}
              >
                {state.value}
              </Box>
            </Box>
          </Box>
        );
      })}
    </Box>
  );
}

function Wire({ from, to, flows, breaks = false }: { from: string; to: string; flows: boolean; breaks?: boolean }) {
  return (
    <Box
      aria-hidden="true"
      sx={{
        position: "absolute",
        top: 34,
        left: from,
        width: `calc(${to} - ${from})`,
        borderTop: flows ? `2px solid ${colours.verdigris}` : `2px dotted ${colours.tarnish}`,
        "&::after": breaks
          ? {
              content: '""',
              position: "absolute",
              right: 1,
              top: -8,
              height: 14,
              width: 5,
              borderLeft: `2px solid ${colours.oxide}`,
              borderRight: `2px solid ${colours.oxide}`,
              transform: "skewX(-20deg)",
            }
          : undefined,
      }}
    />
  );
}
