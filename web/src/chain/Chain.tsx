import Box from "@mui/material/Box";
import { memo, useEffect, useRef } from "react";
import { Link } from "react-router";
import type { Hop, HopState } from "../api/types";
import { known, useBenchStore } from "../bench/useBench";
import { HOPS, REGISTRY } from "../hops/registry";
import { COIN_WORDS, Coin } from "../look/Coin";
import { colours, mono } from "../look/colours";

const UNKNOWN: HopState = { hop: "line", coin: "blank", why: "not looked at yet", value: "–", flows: false, proofs: [] };

const LEAST_PLACE_PX = 108;

/** The signal line: every hop a place on it, drawn through as far as a signal passes now. */
export function Chain({ craftId, current }: { craftId: string; current: Hop }) {
  const states = useBenchStore((state) => known(state)?.chain);
  const strip = useRef<HTMLElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: where the strip is longer than the screen, the hop that is open stands in sight
  useEffect(() => {
    const here = strip.current?.querySelector<HTMLElement>("[aria-current]")?.parentElement;
    if (strip.current && here) strip.current.scrollLeft = here.offsetLeft + here.offsetWidth / 2 - strip.current.clientWidth / 2;
  }, [current]);
  return (
    <Box
      component="nav"
      ref={strip}
      data-strip
      aria-label="Chain"
      sx={{
        height: 64,
        borderBottom: 1,
        borderColor: "divider",
        display: "grid",
        gridTemplateColumns: `repeat(${HOPS.length}, minmax(${LEAST_PLACE_PX}px, 1fr))`,
        px: { xs: 0, md: 2 },
        position: "relative",
        overflowX: "auto",
        overflowY: "hidden",
        scrollbarWidth: "none",
      }}
    >
      {HOPS.map((hop, index) => {
        const state = states?.find((each) => each.hop === hop);
        const [before, after] = [states?.[index - 1], states?.[index + 1]];
        return (
          <Place
            key={hop}
            hop={hop}
            state={state ?? null}
            to={`/crafts/${craftId}/${REGISTRY[hop].path}`}
            here={hop === current}
            first={index === 0}
            flowsBefore={before?.flows ?? false}
            flowsAfter={after ? after.flows : null}
          />
        );
      })}
    </Box>
  );
}

/** One hop on the line; drawn anew only when something of it has changed. `flowsAfter`: null where there is no next hop, or nothing is known yet. */
const Place = memo(function Place({
  hop,
  state: known,
  to,
  here,
  first,
  flowsBefore,
  flowsAfter,
}: {
  hop: Hop;
  state: HopState | null;
  to: string;
  here: boolean;
  first: boolean;
  flowsBefore: boolean;
  flowsAfter: boolean | null;
}) {
  const state = known ?? { ...UNKNOWN, hop };
  return (
    <Box sx={{ position: "relative", display: "grid", justifyItems: "center", alignContent: "start", pt: 0.5 }}>
      {first ? (
        <Wire from="0px" to="calc(50% - 20px)" flows={state.flows || !known} breaks={Boolean(known) && !state.flows} />
      ) : (
        <Wire from="0px" to="calc(50% - 20px)" flows={state.flows} breaks={!state.flows && flowsBefore} />
      )}
      {flowsAfter !== null && <Wire from="calc(50% + 24px)" to="100%" flows={state.flows && flowsAfter} />}
      <Box
        component={Link}
        to={to}
        aria-current={here ? "page" : undefined}
        title={`${REGISTRY[hop].title}: ${state.why}`}
        sx={{
          display: "grid",
          justifyItems: "center",
          textDecoration: "none",
          color: here ? colours.ink : colours.softInk,
          borderRadius: 1,
          px: { xs: 0.25, md: 1 },
          maxWidth: "100%",
          minWidth: 0,
          gridTemplateColumns: "minmax(0, auto)",
          "&:hover .name": { textDecoration: "underline" },
        }}
      >
        <Box sx={{ py: "1px", px: "5px", borderRadius: "24px", border: `2px solid ${here ? colours.copper : "transparent"}` }}>
          <Coin size={22} state={state.coin} label={COIN_WORDS[state.coin]} />
        </Box>
        <Box component="span" className="name" sx={{ fontSize: 12.5, fontWeight: here ? 700 : 500, lineHeight: 1.2 }}>
          {REGISTRY[hop].title}
        </Box>
        <span
          style={{
            fontFamily: mono,
            fontSize: 11,
            lineHeight: 1.2,
            whiteSpace: "nowrap",
            maxWidth: "100%",
            overflow: "hidden",
            textOverflow: "ellipsis",
            color: state.coin === "cracked" ? colours.oxide : colours.tarnishText,
          }}
        >
          {state.value}
        </span>
      </Box>
    </Box>
  );
});

function Wire({ from, to, flows, breaks = false }: { from: string; to: string; flows: boolean; breaks?: boolean }) {
  return (
    <Box
      aria-hidden="true"
      sx={{
        position: "absolute",
        top: 17,
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
