import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import useMediaQuery from "@mui/material/useMediaQuery";
import { useIsFetching, useQueryClient } from "@tanstack/react-query";
import { Suspense, useCallback, useEffect, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import type { ChangedBy, Craft, Hop } from "../api/types";
import { BenchPanel } from "../bench/BenchPanel";
import { known, useBenchConnection, useBenchStore } from "../bench/useBench";
import { useBenchKeys } from "../bench/useBenchKeys";
import { Chain } from "../chain/Chain";
import { FindingStrip, focusedFinding, keyOf, wantFinding } from "../findings/FindingStrip";
import { FirstStep } from "../findings/FirstStep";
import { PURPOSES } from "../hops/purposes";
import { HOPS, hopFromPath, REGISTRY } from "../hops/registry";
import { Centred } from "../look/Centred";
import { colours } from "../look/colours";
import { HopFirst, HopHead, HopPurpose } from "../look/HopHead";
import { columns, usePhone } from "../look/phone";
import { useParts } from "../parts/useParts";
import type { HopProps } from "./hopProps";
import { partsOf } from "./parts";
import { Shortcuts } from "./Shortcuts";
import { TopBar } from "./TopBar";
import { dropUnsaved, saveOnTop, useDraft, useUnsaved } from "./useDraft";

export function CraftPage({ user }: { user: string }) {
  const { craftId = "", hop: path } = useParams();
  const hop = hopFromPath(path);
  const { craft, edit } = useDraft(craftId);
  if (!hop) return <Navigate to={`/crafts/${craftId}/kit`} replace />;
  if (craft.isPending) return <Centred>Opening the craft…</Centred>;
  if (!craft.data)
    return (
      <Centred>
        <p role="alert">{craft.error?.message}</p>
        <Link to="/">All crafts</Link>
      </Centred>
    );
  return <OpenCraft craft={craft.data} edit={edit} hop={hop} user={user} />;
}

function OpenCraft({ craft, edit, hop, user }: { craft: Craft; edit: HopProps["edit"]; hop: Hop; user: string }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const catalogue = useParts(craft.workshop_id);
  const [help, setHelp] = useState(false);
  const [foldedHere, setFoldedHere] = useState<Partial<Record<Hop, boolean>>>({});
  const entry = REGISTRY[hop];
  const narrow = useMediaQuery("(max-width: 1179px)"); // the hop needs what the bench would take: it is unfolded over it
  const phone = usePhone();
  const folded = foldedHere[hop] ?? (narrow || !entry.needsBench);
  const fold = () => setFoldedHere((state) => ({ ...state, [hop]: !folded }));
  const refused = useCallback(() => void queries.invalidateQueries(), [queries]);
  useBenchConnection(craft.id, hop, refused);
  const status = useBenchStore((state) => state.status);
  const ready = useBenchStore((state) => state.waiting !== null || (state.live !== null && state.report !== null));
  const why = useBenchStore((state) => state.waiting?.why);
  const unsaved = useUnsaved((state) => state.queue.length);

  const ahead = useBenchStore((state) => (known(state)?.draft_version ?? 0) > craft.version);
  useEffect(() => {
    if (ahead && unsaved === 0) void queries.invalidateQueries({ queryKey: ["craft", craft.id] });
  }, [ahead, unsaved, craft.id, queries]);

  const step = (by: number) => {
    const next = HOPS[HOPS.indexOf(hop) + by];
    if (next) go(`/crafts/${craft.id}/${REGISTRY[next].path}`);
  };
  useHotkeys("[", () => step(-1), { useKey: true }, [hop, craft.id]);
  useHotkeys("]", () => step(1), { useKey: true }, [hop, craft.id]);
  useHotkeys("n", () => toNext(craft.id, hop, go), { useKey: true }, [hop, craft.id]);
  useHotkeys("f", () => toNextFinding(craft.id, go), { useKey: true }, [craft.id]);
  useHotkeys("?", () => setHelp((open) => !open), { useKey: true });
  useHotkeys("b", fold, { useKey: true }, [hop, folded]);

  const parts = catalogue.data ? partsOf(catalogue.data, craft.document) : null;
  useBenchKeys(parts?.transmitter, craft.document.transmitter.stick_mode);
  return (
    <Box
      sx={{
        height: "100dvh",
        minHeight: { xs: 420, md: 640 },
        display: "grid",
        gridTemplateColumns: "minmax(0, 1fr)",
        gridTemplateRows: "48px auto minmax(0, 1fr) auto",
      }}
      data-ready={(ready && catalogue.isSuccess) || undefined}
    >
      <Settled />
      <SkipLinks />
      <TopBar craft={craft} user={user} edit={edit} onHelp={() => setHelp(true)} />
      <Chain craftId={craft.id} current={hop} />
      <Box
        sx={{
          position: "relative",
          display: "grid",
          gridTemplateColumns: columns(folded || narrow ? "minmax(0, 1fr) 40px" : "minmax(0, 1fr) 312px"),
          gridTemplateRows: { xs: "minmax(0, 1fr) auto", md: "minmax(0, 1fr)" },
          minHeight: 0,
        }}
      >
        <Box
          component="main"
          sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gridTemplateRows: "1fr auto", minHeight: 0, minWidth: 0 }}
        >
          <Box
            key={hop}
            id="main-hop"
            tabIndex={-1}
            sx={{ position: "relative", overflow: "auto", px: { xs: 1.5, md: 3 }, py: { xs: 1.25, md: 2 }, outline: "none" }}
          >
            {catalogue.error?.message}
            <HopFirst value={<FirstStep hop={hop} craft={craft} edit={edit} />}>
              <HopPurpose value={PURPOSES[hop]}>
                <Suspense fallback={<p>Opening {entry.title}…</p>}>
                  {!entry.needsBench && catalogue.data && <entry.Screen craft={craft} catalogue={catalogue.data} edit={edit} />}
                  {entry.needsBench &&
                    (parts && !why ? (
                      <entry.Screen craft={craft} parts={parts} edit={edit} />
                    ) : (
                      <NoBench title={entry.title} craftId={craft.id} why={why} />
                    ))}
                </Suspense>
              </HopPurpose>
            </HopFirst>
          </Box>
          <FindingStrip hop={hop} craft={craft} edit={edit} />
        </Box>
        <Box sx={{ display: "grid", minHeight: 0, minWidth: 0, ...(phone ? SHEET : narrow && !folded && OVER) }}>
          <BenchPanel parts={parts} document={craft.document} folded={folded} onFold={fold} />
        </Box>
      </Box>
      <Notices status={status} />
      <Shortcuts open={help} onClose={() => setHelp(false)} />
    </Box>
  );
}

/** A mark in the page: nothing more is on its way that could push what is there aside. */
function Settled() {
  return useIsFetching() === 0 ? <span hidden data-settled /> : null;
}

/** A sheet that rises from the foot of a hand-held screen; what it leaves of the hop stays in sight above it. */
const SHEET = { maxHeight: "min(56dvh, 500px)" } as const;

const OVER = {
  position: "absolute",
  right: 0,
  top: 0,
  bottom: 0,
  width: 312,
  zIndex: 6,
  boxShadow: "-6px 0 18px rgb(31 42 46 / 0.14)",
} as const;

/** To the next hop along the chain that is not proven, from the first again behind the last. */
function toNext(craftId: string, hop: Hop, go: (to: string) => void) {
  const chain = known(useBenchStore.getState())?.chain ?? [];
  const open = HOPS.filter((each) => chain.find((state) => state.hop === each)?.coin !== "rings true");
  const next = open.find((each) => HOPS.indexOf(each) > HOPS.indexOf(hop)) ?? open[0];
  if (next) go(`/crafts/${craftId}/${REGISTRY[next].path}`);
}

/** To the finding behind the one that has the focus, on whichever hop it is; the gravest first. */
function toNextFinding(craftId: string, go: (to: string) => void) {
  const findings = known(useBenchStore.getState())?.findings ?? [];
  const at = findings.findIndex((finding) => keyOf(finding) === focusedFinding());
  const next = findings[(at + 1) % findings.length];
  if (!next) return;
  wantFinding(next);
  go(`/crafts/${craftId}/${REGISTRY[next.hop].path}`);
}

/** The first stops of the Tab key: past what is the same on every screen. */
function SkipLinks() {
  return (
    <Box
      component="nav"
      aria-label="Skip"
      sx={{
        position: "absolute",
        zIndex: 20,
        left: 8,
        top: 4,
        "& button": { position: "absolute", left: -9999, whiteSpace: "nowrap" },
        "& button:focus": { left: 0, bgcolor: colours.raised },
      }}
    >
      {[
        ["main-hop", "To the hop"],
        ["findings", "To the findings"],
        ["bench", "To the bench"],
      ].map(([id = "", text]) => (
        <Button key={id} variant="contained" color="secondary" onClick={() => document.getElementById(id)?.focus()}>
          {text}
        </Button>
      ))}
    </Box>
  );
}

/** A live hop of a craft that has no bench yet. */
function NoBench({ title, craftId, why }: { title: string; craftId: string; why: string | undefined }) {
  return (
    <>
      <HopHead title={title} question="This hop needs a running bench." />
      <Box sx={{ maxWidth: 560, mt: 6, mx: "auto", textAlign: "center" }}>
        <p>{why ?? "Setting up the bench…"}</p>
        {why && <Link to={`/crafts/${craftId}/kit`}>To the Kit</Link>}
      </Box>
    </>
  );
}

const MOST_SHOWN = 8;

/** What either side changed, by name: what both changed comes first. */
function BothSides({ changes }: { changes: ChangedBy[] }) {
  return (
    <Box component="ul" aria-label="What was changed" sx={{ m: 0, mt: 0.5, pl: 2.25 }}>
      {changes.slice(0, MOST_SHOWN).map(({ name, before, mine, theirs, both }) => (
        <li key={name} style={{ fontWeight: both ? 600 : 400 }}>
          {name}: was {before}; {mine === before ? "you left it" : `you say ${mine}`};{" "}
          {theirs === before ? "they left it" : `they say ${theirs}`}
        </li>
      ))}
      {changes.length > MOST_SHOWN && <li>and {changes.length - MOST_SHOWN} more</li>}
    </Box>
  );
}

/** Since when, and for how long by now. */
function Since({ at }: { at: number | null }) {
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    const ticking = window.setInterval(() => setNow(Date.now()), 1000);
    return () => window.clearInterval(ticking);
  }, []);
  if (at === null) return null;
  const clock = new Date(at).toLocaleTimeString("en-GB");
  return (
    <>
      {" "}
      since {clock} ({Math.max(0, Math.round((now - at) / 1000))} s)
    </>
  );
}

/** What is not as it should be between here and the server. It stands at the foot: nothing that a hand is on just then is moved. */
function Notices({ status }: { status: string }) {
  const queries = useQueryClient();
  const problem = useUnsaved((state) => state.problem);
  const held = useUnsaved((state) => state.held);
  const waits = useUnsaved((state) => state.queue.length);
  const trouble = useBenchStore((state) => state.trouble);
  const silentSince = useBenchStore((state) => state.silentSince);
  const outageSince = useBenchStore((state) => state.outageSince);
  const bar = {
    px: 3,
    py: 0.75,
    display: "flex",
    alignItems: "center",
    gap: 2,
    borderTop: 1,
    borderColor: "divider",
    fontSize: 13.5,
  } as const;
  return (
    <div>
      {(status === "lost" || status === "silent") && (
        <Box role="alert" sx={{ ...bar, bgcolor: colours.copperWash }}>
          <span>
            The bench does not answer
            <Since at={silentSince} />; what you see has stopped. It is tried again by itself, and what your hands do meanwhile is sent
            then.
          </span>
        </Box>
      )}
      {outageSince !== null && (
        <Box role="alert" sx={{ ...bar, bgcolor: colours.copperWash }}>
          <span>
            The database does not answer
            <Since at={outageSince} />. The bench goes on; what it proves is recorded, and coins and findings are told anew, when it is
            back.
          </span>
        </Box>
      )}
      {held && !problem && (
        <Box role="alert" sx={{ ...bar, bgcolor: colours.copperWash }}>
          <span>
            <b>Not saved yet.</b> {held.text} {waits === 1 ? "Your change waits" : `${waits} changes wait`}
            <Since at={held.since} /> and {waits === 1 ? "is" : "are"} sent by {waits === 1 ? "itself" : "themselves"} when it is back.
          </span>
          <Box sx={{ flex: 1 }} />
          <Button variant="outlined" onClick={() => dropUnsaved(queries)}>
            Discard {waits === 1 ? "it" : "them"}
          </Button>
        </Box>
      )}
      {trouble && (
        <Box role="alert" sx={{ ...bar, bgcolor: colours.copperWash }}>
          {trouble}
          <Button variant="text" onClick={() => useBenchStore.setState({ trouble: null })}>
            Dismiss
          </Button>
        </Box>
      )}
      {problem && (
        <Box role="alert" sx={{ ...bar, bgcolor: colours.oxideWash }}>
          <span>
            <b>Not saved.</b> {problem.text}
            {problem.changes.length > 0 && <BothSides changes={problem.changes} />}
          </span>
          <Box sx={{ flex: 1 }} />
          {problem.again && (
            <Button variant="contained" onClick={() => saveOnTop(queries)}>
              {problem.stale ? "Make my change on top" : "Try again"}
            </Button>
          )}
          <Button variant="outlined" onClick={() => dropUnsaved(queries)}>
            {problem.stale ? "Take theirs, discard mine" : problem.again ? "Discard it" : "Understood"}
          </Button>
        </Box>
      )}
    </div>
  );
}
