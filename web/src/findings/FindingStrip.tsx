import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import { create } from "zustand";
import type { Craft, Edit, Finding, Hop, HopState, Mend } from "../api/types";
import { doAct, known, sendHands, useBenchStore, useSteady, writeDraft } from "../bench/useBench";
import { hopPath, hopTitle } from "../chain/hops";
import type { HopProps } from "../craft/hopProps";
import { colours } from "../look/colours";

const TONE = {
  stop: { ink: colours.oxide, wash: colours.oxideWash },
  warn: { ink: colours.copperText, wash: colours.copperWash },
  note: { ink: colours.slate, wash: colours.slateWash },
};

export const keyOf = (finding: Finding) => `${finding.code} ${finding.where} ${finding.what}`;

/** The finding that shall have the focus as soon as it is on the screen. */
const useWanted = create<{ key: string }>(() => ({ key: "" }));
export const wantFinding = (finding: Finding) => useWanted.setState({ key: keyOf(finding) });
export const focusedFinding = () => document.activeElement?.closest("[data-finding]")?.getAttribute("data-finding") ?? "";

/** What the checks say of this hop: what, why, and the mending act. */
export function FindingStrip({ hop, craft, edit }: { hop: Hop; craft: Craft; edit: HopProps["edit"] }) {
  const findings = useSteady((state) => known(state)?.findings ?? []);
  const version = useBenchStore((state) => known(state)?.draft_version);
  const judged = useBenchStore((state) => state.waiting?.judged ?? true);
  const here = findings.filter((finding) => finding.hop === hop);
  const stop = findings.find((finding) => finding.hop !== hop && finding.severity === "stop");
  const coin = useSteady((state) => known(state)?.chain.find((each) => each.hop === hop) ?? null);
  return (
    <Box
      component="section"
      id="findings"
      tabIndex={-1}
      aria-label="Findings"
      sx={{
        borderTop: 1,
        borderColor: "divider",
        bgcolor: "background.paper",
        px: 3,
        py: 1,
        maxHeight: 190,
        overflow: "auto",
        minHeight: 44,
      }}
    >
      {here.map((finding) => (
        <Line
          key={keyOf(finding)}
          finding={finding}
          craft={craft}
          hop={hop}
          current={version === craft.version}
          onMend={(edits) => edit(edits, version)}
        />
      ))}
      {coin?.coin === "tarnished" && (
        <Box sx={{ py: 0.5, color: colours.tarnishText }}>
          {here.length === 0 ? "Nothing is wrong, but it was " : "It was "}
          {coin.why}.
        </Box>
      )}
      {here.length === 0 && coin?.coin !== "tarnished" && (
        <Box sx={{ py: 0.5, color: coin?.coin === "rings true" ? colours.verdigris : colours.softInk }}>
          {coin?.coin === "rings true"
            ? "Nothing is wrong here: this hop is proven."
            : judged
              ? "Nothing is wrong here so far."
              : "What is wrong here was not looked for: the bench was set aside."}
        </Box>
      )}
      {coin && coin.coin !== "cracked" && <StillToSee proofs={coin.proofs} />}
      {stop && (
        <Box sx={{ py: 0.5, fontSize: 13, color: colours.softInk }}>
          {here.some((finding) => finding.severity === "stop") ? "Wrong elsewhere too:" : "The signal stops elsewhere:"}{" "}
          <Link to={`/crafts/${craft.id}/${hopPath(stop.hop)}`} style={{ color: colours.oxide, fontWeight: 600 }}>
            {hopTitle(stop.hop)}
          </Link>{" "}
          {stop.what}
        </Box>
      )}
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

/** A button where the app can do it, or lead to where it is done; a sentence where only hands can. */
function MendOf({
  mend,
  craft,
  hop,
  current,
  onMend,
}: {
  mend: Mend;
  craft: Craft;
  hop: Hop;
  current: boolean;
  onMend: (edits: Edit[]) => void;
}) {
  const look = { variant: "outlined", sx: { color: colours.verdigris, py: 0 } } as const;
  const { text, edits, hands, act, go, panel } = mend;
  const builds = craft.may.includes("build");
  if (edits.length > 0)
    return (
      <Button {...look} disabled={!current || !builds} onClick={() => onMend(edits)}>
        {text}
      </Button>
    );
  if (act)
    return (
      <Button {...look} disabled={!current || !builds} onClick={() => void (act === "write" ? writeDraft(craft.version) : doAct(act))}>
        {text}
      </Button>
    );
  if (Object.keys(hands).length > 0)
    return (
      <Button {...look} disabled={!craft.may.includes("check")} onClick={() => sendHands(hands)}>
        {text}
      </Button>
    );
  if (go && (go !== hop || panel))
    return (
      <Button {...look} component={Link} to={`/crafts/${craft.id}/${hopPath(go)}${panel && `?open=${panel}`}`}>
        {text}
      </Button>
    );
  return (
    <Box component="span" sx={{ fontSize: 13 }}>
      {text}.
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
  const tone = TONE[finding.severity];
  const line = useRef<HTMLDivElement>(null);
  const wanted = useWanted((state) => state.key === keyOf(finding));
  useEffect(() => {
    if (!wanted) return;
    line.current?.focus();
    useWanted.setState({ key: "" });
  }, [wanted]);
  const mends = finding.mends;
  return (
    <Box
      ref={line}
      data-finding={keyOf(finding)}
      tabIndex={-1}
      sx={{ display: "flex", alignItems: "baseline", gap: 1.25, py: 0.4, flexWrap: "wrap" }}
    >
      <Box component="span" sx={{ px: 0.9, borderRadius: 0.75, fontSize: 12, fontWeight: 600, color: tone.ink, bgcolor: tone.wash }}>
        {finding.severity}
      </Box>
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
