import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link } from "react-router";
import { create } from "zustand";
import type { Craft, Edit, Finding, Hop, HopState, Mend } from "../api/types";
import { known, useBenchStore, useSteady } from "../bench/useBench";
import { hopPath, hopTitle } from "../chain/hops";
import type { HopProps } from "../craft/hopProps";
import { colours } from "../look/colours";
import { usePhone } from "../look/phone";
import { acts, MendOf } from "./Mends";

const TONE = {
  stop: { ink: colours.oxide, wash: colours.oxideWash },
  begin: { ink: colours.copperText, wash: colours.copperWash },
  warn: { ink: colours.copperText, wash: colours.copperWash },
  note: { ink: colours.slate, wash: colours.slateWash },
};

export const keyOf = (finding: Finding) => `${finding.code} ${finding.where} ${finding.what}`;

/** Whether all that is said of the hop lies open over it, and the finding that shall have the focus as soon as it is on the screen. */
const useStrip = create<{ openAt: Hop | null; key: string }>(() => ({ openAt: null, key: "" }));
export const wantFinding = (finding: Finding) => useStrip.setState({ openAt: finding.hop, key: keyOf(finding) });
export const focusedFinding = () => document.activeElement?.closest("[data-finding]")?.getAttribute("data-finding") ?? "";
const shut = () => useStrip.setState({ openAt: null });

/** The gravest thing that the checks say of this hop, in one line at its foot; all of it, with reasons, opens over the hop. */
export function FindingStrip({ hop, craft, edit }: { hop: Hop; craft: Craft; edit: HopProps["edit"] }) {
  const findings = useSteady((state) => known(state)?.findings ?? []);
  const version = useBenchStore((state) => known(state)?.draft_version);
  const judged = useBenchStore((state) => state.waiting?.judged ?? true);
  const open = useStrip((state) => state.openAt === hop);
  const here = findings.filter((finding) => finding.hop === hop);
  const elsewhere = findings.filter((finding) => finding.hop !== hop);
  const order = useSteady((state) => known(state)?.chain.map((each) => each.hop) ?? []);
  const earlier = order.slice(0, order.indexOf(hop));
  const stop =
    elsewhere.find(({ severity }) => severity === "stop") ??
    elsewhere.find((each) => each.severity === "begin" && earlier.includes(each.hop)); // what comes later on the chain is begun later
  const coin = useSteady((state) => known(state)?.chain.find((each) => each.hop === hop) ?? null);
  const toSee = coin && coin.coin !== "cracked" && coin.proofs.some((proof) => proof.needed && proof.standing !== "holds");
  const more = here.length > 0 || coin?.coin === "tarnished" || Boolean(toSee) || Boolean(stop);
  const mending = { craft, hop, current: version === craft.version, onMend: (edits: Edit[]) => edit(edits, version) };
  const first = here[0];
  const phone = usePhone();
  useHotkeys("escape", shut, { enabled: open });
  return (
    <Box
      component="section"
      id="findings"
      tabIndex={-1}
      aria-label="Findings"
      sx={{ position: "relative", borderTop: 1, borderColor: "divider", bgcolor: "background.paper" }}
    >
      <Box
        id="all-findings"
        hidden={!open || !more}
        sx={{
          position: "absolute",
          bottom: "100%",
          left: 0,
          right: 0,
          zIndex: 5,
          maxHeight: "min(420px, 55vh)",
          overflow: "auto",
          px: { xs: 1.5, md: 3 },
          py: 1,
          bgcolor: "background.paper",
          borderTop: 1,
          borderColor: "divider",
          boxShadow: "0 -6px 18px rgb(31 42 46 / 0.14)",
        }}
      >
        {here.map((finding) => (
          <Line key={keyOf(finding)} finding={finding} {...mending} />
        ))}
        {coin?.coin === "tarnished" && <Box sx={{ py: 0.5, color: colours.tarnishText }}>It was {uncounted(coin.why)}.</Box>}
        {coin && coin.coin !== "cracked" && <StillToSee proofs={coin.proofs} />}
        {stop && (
          <Box sx={{ py: 0.5, fontSize: 13, color: colours.softInk }}>
            {elsewhereWords(
              stop,
              here.some((finding) => finding.severity === "stop"),
            )}{" "}
            <Link to={`/crafts/${craft.id}/${hopPath(stop.hop)}`} style={{ color: colours.oxide, fontWeight: 600 }}>
              {hopTitle(stop.hop)}
            </Link>{" "}
            {stop.what}
          </Box>
        )}
      </Box>
      <Box
        sx={{
          display: "flex",
          alignItems: "center",
          gap: 1.25,
          px: { xs: 1.5, md: 3 },
          height: 42,
          whiteSpace: "nowrap",
          overflow: "hidden",
          "& .MuiButton-outlined": { ...CUT, display: "block", flex: "0 1 auto" },
        }}
      >
        {open ? (
          <Box sx={{ fontSize: 13, color: colours.softInk }}>
            {here.length === 0
              ? "Nothing is wrong here so far."
              : `${here.length} ${here.length === 1 ? "finding" : "findings"} at this hop.`}
          </Box>
        ) : first ? (
          <>
            <Severity of={first} />
            <Box component="b" title={`${first.what} ${first.why}`} sx={{ ...CUT, flex: "0 99999 auto", minWidth: { xs: 60, md: 220 } }}>
              {first.what}
            </Box>
            {!phone &&
              thatFit(first.mends.filter((each) => acts(each, hop))).map((mend) => <MendOf key={mend.text} mend={mend} {...mending} />)}
          </>
        ) : (
          <Box sx={{ ...CUT, color: coin?.coin === "rings true" ? colours.verdigris : colours.softInk }}>
            <Standing craft={craft} coin={coin} judged={judged} stop={stop} />
          </Box>
        )}
        <Box sx={{ flex: 1 }} />
        {more && (
          <Button
            variant="text"
            aria-expanded={open}
            aria-controls="all-findings"
            aria-keyshortcuts="f"
            onClick={() => useStrip.setState({ openAt: open ? null : hop })}
            sx={{ flex: "none" }}
          >
            {open
              ? "Close"
              : here.length > 1
                ? phone
                  ? `All ${here.length}`
                  : `All ${here.length} findings`
                : here.length === 1
                  ? phone
                    ? "Why, how"
                    : "Why, and what mends it"
                  : phone
                    ? "Next"
                    : "What comes next"}
          </Button>
        )}
      </Box>
    </Box>
  );
}

const CUT = { overflow: "hidden", textOverflow: "ellipsis", minWidth: 0 } as const;

/** Why a coin is tarnished, without how many of its proofs hold. */
const uncounted = (why: string) => why.replace(/^\d+ of \d+: /, "");

const elsewhereWords = (stop: Finding, wrongHere: boolean) =>
  stop.severity === "begin" ? "Not begun yet:" : wrongHere ? "Wrong elsewhere too:" : "The signal stops elsewhere:";

/** How the hop stands where no finding says otherwise. */
function Standing({ craft, coin, judged, stop }: { craft: Craft; coin: HopState | null; judged: boolean; stop: Finding | undefined }) {
  if (coin?.coin === "tarnished") return <>Nothing is wrong, but it was {uncounted(coin.why)}.</>;
  if (coin?.coin === "rings true") return <>Nothing is wrong here: this hop is proven.</>;
  if (!judged) return <>What is wrong here was not looked for: the bench was set aside.</>;
  if (stop)
    return (
      <>
        Nothing is wrong here so far. {elsewhereWords(stop, false)}{" "}
        <Link to={`/crafts/${craft.id}/${hopPath(stop.hop)}`} style={{ color: colours.oxide, fontWeight: 600 }}>
          {hopTitle(stop.hop)}
        </Link>{" "}
        {stop.what}
      </>
    );
  const next = coin?.proofs.find((proof) => proof.needed && proof.standing !== "holds");
  return <>Nothing is wrong here so far.{next && ` To be seen: ${next.says}`}</>;
}

function Severity({ of }: { of: Finding }) {
  const tone = TONE[of.severity];
  return (
    <Box component="span" sx={{ px: 0.9, borderRadius: 0.75, fontSize: 12, fontWeight: 600, color: tone.ink, bgcolor: tone.wash }}>
      {of.severity === "begin" ? "to begin" : of.severity}
    </Box>
  );
}

/** What still has to be seen before this hop rings true: the next proof in full, those after it by name. */
function StillToSee({ proofs }: { proofs: HopState["proofs"] }) {
  const needed = proofs.filter((proof) => proof.needed);
  const [next, ...later] = needed.filter((proof) => proof.standing !== "holds");
  if (!next) return null;
  return (
    <Box sx={{ py: 0.25, fontSize: 13, color: colours.softInk }}>
      {needed.length > 1 && `${needed.length - later.length - 1} of ${needed.length} proven. `}
      To be seen: {next.says} About {next.minutes} min{next.wants.length > 0 && `, with ${next.wants.join(", ")}`}.
      {later.length > 0 && ` Then: ${later.map((proof) => proof.name).join(", ")}.`}
    </Box>
  );
}

/** `current`: whether the finding speaks of the draft as it is now; the next report comes in a moment where it does not. */
function Line({
  finding,
  craft,
  hop,
  current,
  onMend,
}: {
  finding: Finding;
  craft: Craft;
  hop: Hop;
  current: boolean;
  onMend: (edits: Edit[]) => void;
}) {
  const line = useRef<HTMLDivElement>(null);
  const wanted = useStrip((state) => state.key === keyOf(finding));
  useEffect(() => {
    if (!wanted) return;
    line.current?.focus();
    useStrip.setState({ key: "" });
  }, [wanted]);
  const mends = finding.mends;
  return (
    <Box
      ref={line}
      data-finding={keyOf(finding)}
      tabIndex={-1}
      sx={{ display: "flex", alignItems: "baseline", gap: 1.25, py: 0.4, flexWrap: "wrap" }}
    >
      <Severity of={finding} />
      <b>{finding.what}</b>
      <Box component="span" sx={{ color: "text.secondary" }}>
        {finding.why}
      </Box>
      <Box sx={{ display: "flex", gap: 1, ml: "auto", flexWrap: "wrap" }}>
        {mends.map((mend) => (
          <MendOf key={mend.text} mend={mend} craft={craft} hop={hop} current={current} onMend={onMend} />
        ))}
      </Box>
    </Box>
  );
}

const ROOM = 64; // letters of mends that stand in one line beside what is wrong; the others stand in the list

/** The first mend, and those after it for which there is room. */
function thatFit(mends: Mend[]): Mend[] {
  let taken = 0;
  return mends.filter((each, index) => {
    taken += each.text.length;
    return index === 0 || taken <= ROOM;
  });
}
