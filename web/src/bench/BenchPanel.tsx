import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Switch from "@mui/material/Switch";
import type { ReactNode } from "react";
import type { CraftDocument, Live } from "../api/types";
import type { HopProps } from "../craft/hopProps";
import { colours, mono } from "../look/colours";
import { usePhone } from "../look/phone";
import { Gimbal } from "./Gimbal";
import { Lever } from "./Lever";
import { lightWords, ShownLight } from "./ShownLight";
import { sendHands, useBenchStore, useSteady } from "./useBench";
import { useWritten } from "./useDrawn";

const LOSSES = [0, 20, 60];

/** The stand-ins' hands and lights. */
export function BenchPanel({
  parts,
  document,
  folded,
  onFold,
}: {
  parts: HopProps["parts"] | null;
  document: CraftDocument;
  folded: boolean;
  onFold: () => void;
}) {
  const live = useSteady((state) => state.live && shown(state.live));
  const why = useBenchStore((state) => state.waiting?.why);
  const pace = useBenchStore((state) => state.live?.pace ?? 1);
  const stickMode = document.transmitter.stick_mode;
  return (
    <Box
      component="aside"
      id="bench"
      tabIndex={-1}
      aria-label="Bench"
      sx={{
        bgcolor: colours.bench,
        borderStyle: "solid",
        borderWidth: { xs: "1px 0 0 0", md: "0 0 0 1px" },
        borderColor: "divider",
        overflow: "auto",
        overscrollBehavior: "contain",
        p: folded ? { xs: 0, md: 0.5 } : { xs: 1.25, md: 1.75 },
        display: "flex",
        flexDirection: "column",
        gap: 1.25,
      }}
    >
      {folded && <FoldedBench onFold={onFold} />}
      <Box sx={{ display: folded ? "none" : "flex", alignItems: "center", justifyContent: "space-between", gap: 1 }}>
        <b>Bench</b>
        {pace < 1 && (
          <Box
            component="span"
            aria-live="polite"
            title="More benches run than this machine keeps up with. What is measured counts, for it is reckoned in bench time; what has a time limit for hands, such as a bind or three short power cycles, does not until it keeps up again; windows stay open meanwhile."
            sx={{ fontSize: 12, fontWeight: 600, color: colours.copperText }}
          >
            late: {pace.toFixed(2)} of real time
          </Box>
        )}
        <Button
          variant="text"
          color="inherit"
          onClick={onFold}
          aria-expanded={!folded}
          sx={{ minWidth: 0, px: 0.5, color: colours.softInk, fontWeight: 500, fontSize: 12.5 }}
        >
          fold away{" "}
          <Box component="span" sx={{ display: { xs: "none", md: "inline" }, ml: 0.5 }}>
            B
          </Box>
        </Button>
      </Box>
      {!folded && why && <Box sx={{ fontSize: 13.5, color: "text.secondary" }}>{why}</Box>}
      {!folded && live && parts && (
        <>
          <Card
            title={`Transmitter · ${parts.transmitter.name}`}
            on={live.transmitter_on}
            label="Transmitter on"
            says="on"
            toggle={(on) => sendHands({ transmitter_on: on })}
          >
            <Box sx={{ display: "flex", justifyContent: "space-between", my: 0.75, opacity: live.transmitter_on ? 1 : 0.55 }}>
              <Gimbal side="left" stickMode={stickMode} />
              <Gimbal side="right" stickMode={stickMode} />
            </Box>
            <Box sx={{ display: "flex", justifyContent: "space-around", alignItems: "end" }}>
              {parts.transmitter.switches.map((each, index) => (
                <Lever key={each.name} name={each.name} positions={each.positions} at={live.switches[each.name] ?? 0} digit={index + 1} />
              ))}
            </Box>
          </Card>
          <Card title="Air">
            <Box sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
              <Box component="span" sx={{ fontFamily: mono, fontSize: 12.5, mr: "auto" }}>
                LQ {live.lq_percent} %
              </Box>
              <Box component="span" sx={{ fontSize: 12, color: "text.secondary" }}>
                loses
              </Box>
              {LOSSES.map((loss) => (
                <Button
                  key={loss}
                  variant="outlined"
                  aria-pressed={live.loss_percent === loss}
                  onClick={() => sendHands({ loss_percent: loss })}
                  sx={{
                    minWidth: 0,
                    px: 0.8,
                    py: 0,
                    fontSize: 12,
                    ...(live.loss_percent === loss && {
                      bgcolor: colours.slate,
                      color: colours.raised,
                      "&:hover": { bgcolor: colours.slate },
                    }),
                  }}
                >
                  {loss} %
                </Button>
              ))}
            </Box>
          </Card>
          <Card
            title={`Receiver · ${parts.receiver.name}`}
            on={live.receiver_plugged}
            label="Receiver plugged in"
            says="plugged in"
            toggle={(on) => sendHands({ receiver_plugged: on })}
          >
            {/* As high whatever it says, so that the plugs below it stay under the hand. */}
            <Box sx={{ display: "flex", gap: 1, fontSize: 13, lineHeight: 1.4, minHeight: "4.2em" }}>
              <Box component="span" sx={{ pt: 0.4 }}>
                <ShownLight light={live.light} />
              </Box>
              <span>
                {lightWords(live.light)}
                <Box component="span" sx={{ display: "block", color: "text.secondary" }}>
                  {live.light_means}
                </Box>
              </span>
            </Box>
          </Card>
          <Card title={`Board · ${parts.board.name}`}>
            <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 0.25, mb: 0.5, mx: -0.5 }}>
              <Plug label="USB" on={live.usb} toggle={(on) => sendHands({ usb: on })} />
              <Plug label="pack" on={live.pack} toggle={(on) => sendHands({ pack: on })} />
              <Plug label="tilted" on={live.tilt_deg !== 0} toggle={(on) => sendHands({ tilt_deg: on ? 40 : 0 })} />
              {live.gps_fix !== null && <Plug label="fix" on={live.gps_fix} toggle={(on) => sendHands({ gps_fix: on })} />}
              {live.home !== null && <Plug label="home" on={live.home} toggle={(on) => sendHands({ home: on })} />}
            </Box>
            <BoardState />
          </Card>
          {live.failed.length > 0 && (
            <Card title="Failed parts">
              {live.failed.map((device) => (
                <Box key={device} sx={{ display: "flex", alignItems: "center", gap: 1, fontSize: 13 }}>
                  <Box component="span" sx={{ color: colours.oxide, flex: 1 }}>
                    {device}
                  </Box>
                  <Button variant="outlined" onClick={() => sendHands({ replaced: device })}>
                    Replace the {device}
                  </Button>
                </Box>
              ))}
            </Card>
          )}
        </>
      )}
    </Box>
  );
}

/** Along the edge: that there is a bench, and what it shows of the craft now. */
function FoldedBench({ onFold }: { onFold: () => void }) {
  const phone = usePhone();
  const armed = useBenchStore((state) => state.live?.board.armed);
  const link = useBenchStore(({ live }) => (!live ? "not running" : !live.board.powered ? "no power" : LINK_WORDS[live.board.link]));
  return (
    <Button
      variant="text"
      color="inherit"
      onClick={onFold}
      aria-expanded={false}
      title="Unfold the bench (B)"
      sx={{
        minWidth: 0,
        width: "100%",
        flex: 1,
        color: colours.ink,
        px: { xs: 1.5, md: 0 },
        py: { xs: 1.25, md: 1.5 },
        justifyContent: { xs: "space-between", md: "center" },
        alignItems: { xs: "center", md: "start" },
        writingMode: { xs: "horizontal-tb", md: "vertical-rl" },
      }}
    >
      <span>
        Bench{" "}
        <Box component="span" sx={{ fontWeight: 500, color: armed ? colours.copperText : colours.softInk }}>
          {armed === undefined ? "" : armed ? "· armed" : "· disarmed"} · {link}
        </Box>
      </span>
      {phone && (
        <Box component="span" aria-hidden="true" sx={{ color: colours.softInk, fontWeight: 500 }}>
          sticks, switches, supply ▴
        </Box>
      )}
    </Button>
  );
}

/** What the panel draws. Gimbals move 25 times a second and the board's state flickers with the sticks: both look after themselves. */
function shown(live: Live) {
  const {
    transmitter_on,
    switches,
    lq_percent,
    loss_percent,
    receiver_plugged,
    light,
    light_means,
    usb,
    pack,
    tilt_deg,
    gps_fix,
    home,
    failed,
  } = live;
  return {
    transmitter_on,
    switches,
    lq_percent,
    loss_percent,
    receiver_plugged,
    light,
    light_means,
    usb,
    pack,
    tilt_deg,
    gps_fix,
    home,
    failed,
  };
}

const BLOCKED_MS = 480;
const LINK_WORDS = {
  off: "off",
  "no signal": "no signal yet",
  good: "link good",
  grace: "grace: last values still count",
  lost: "link lost: fallback",
};

function BoardState() {
  const board = useSteady(
    ({ live }) =>
      live && {
        armed: live.board.armed,
        mode: live.board.mode,
        motors: live.board.motors_percent.toFixed(0),
        rssi: live.board.rssi_percent,
      },
  );
  const state = useBenchStore(({ live }) =>
    !live?.board.powered ? "no power" : live.board.booting ? "restarting…" : LINK_WORDS[live.board.link],
  );
  if (!board) return null;
  return (
    <Box sx={{ fontSize: 13, display: "grid", gap: 0.5 }}>
      <Box sx={{ display: "flex", gap: 0.75, flexWrap: "wrap" }}>
        <Tag tone={board.armed ? "live" : "plain"}>{board.armed ? "armed" : "disarmed"}</Tag>
        <Tag tone="plain">{board.mode}</Tag>
        <Tag tone="plain">motors {board.motors} %</Tag>
        {board.rssi !== null && <Tag tone="plain">RSSI {board.rssi} %</Tag>}
        <Tag tone="plain">bench has no props</Tag>
      </Box>
      <span>{state}</span>
      <Blocked />
    </Box>
  );
}

function Blocked() {
  const text = useWritten<HTMLDivElement>(
    ({ live }) =>
      live?.board.powered && !live.board.booting && live.board.blockers.length > 0
        ? `blocked by: ${live.board.blockers.map((each) => each.what).join("; ")}`
        : "",
    BLOCKED_MS,
  );
  return <div ref={text} style={{ color: colours.copperText }} />;
}

/** A supply that is plugged in or not. */
function Plug({ label, on, toggle }: { label: string; on: boolean; toggle: (on: boolean) => void }) {
  return (
    <Box component="label" sx={{ display: "flex", alignItems: "center", fontSize: 12.5 }}>
      <Switch size="small" checked={on} onChange={(_, to) => toggle(to)} slotProps={{ input: { "aria-label": label } }} />
      {label}
    </Box>
  );
}

function Tag({ children, tone }: { children: ReactNode; tone: "live" | "plain" }) {
  const ink = tone === "live" ? { background: colours.copper, color: colours.raised } : { background: colours.bench, color: colours.ink };
  return <span style={{ padding: "0 7px", borderRadius: 6, fontSize: 12, fontWeight: 600, ...ink }}>{children}</span>;
}

function Card({
  title,
  children,
  on,
  label,
  says,
  toggle,
}: {
  title: string;
  children: ReactNode;
  on?: boolean;
  label?: string;
  says?: string;
  toggle?: (on: boolean) => void;
}) {
  return (
    <Box
      component="section"
      aria-label={title}
      sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.25, px: 1.5, py: 1 }}
    >
      <Box sx={{ display: "flex", alignItems: "center", minHeight: 24, mb: 0.25 }}>
        <Box component="h3" sx={{ m: 0, fontSize: 12.5, fontWeight: 600, color: "text.secondary", flex: 1 }}>
          {title}
        </Box>
        {toggle && (
          <>
            <Box component="span" aria-hidden="true" sx={{ fontSize: 11.5, color: "text.secondary" }}>
              {says ?? label}
            </Box>
            <Switch
              size="small"
              checked={on ?? false}
              onChange={(_, to) => toggle(to)}
              slotProps={{ input: { "aria-label": label ?? title } }}
            />
          </>
        )}
      </Box>
      {children}
    </Box>
  );
}
