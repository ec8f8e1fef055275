import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Popover from "@mui/material/Popover";
import Typography from "@mui/material/Typography";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link } from "react-router";
import type { Craft, Report } from "../api/types";
import { doAct, useBenchStore, useSteady, writeDraft } from "../bench/useBench";
import { colours, mono } from "../look/colours";
import { usePhone } from "../look/phone";
import { TOP_LINE_PX, TopLine } from "../look/TopLine";
import { useSignOut } from "../session/useSession";
import type { HopProps } from "./hopProps";
import { useUnsaved } from "./useDraft";

/** What the bar draws of a report. */
const drawn = ({ report }: { report: Report | null }) =>
  report && {
    draft_version: report.draft_version,
    differences: report.differences,
    restart_due: report.restart_due,
    known: report.on_board !== null,
  };

/** Craft, draft against board, and the three acts. */
export function TopBar({ craft, user, edit, onHelp }: { craft: Craft; user: string; edit: HopProps["edit"]; onHelp: () => void }) {
  const report = useSteady(drawn);
  const waiting = useBenchStore((state) => state.waiting !== null);
  const unsaved = useUnsaved((state) => state.queue.length);
  const held = useUnsaved((state) => state.held !== null);
  const signOut = useSignOut();
  const phone = usePhone();
  const current = report && report.draft_version === craft.version ? report : null;
  const differs = current?.differences.length ?? 0;
  const builds = craft.may.includes("build");
  const asks = craft.may.includes("check");
  const mayWrite = builds && current !== null && differs > 0 && unsaved === 0;
  useHotkeys("p", () => void writeDraft(craft.version), { useKey: true, enabled: mayWrite }, [craft.version]);
  useHotkeys("r", () => void doAct("read back"), { useKey: true, enabled: asks && current !== null });
  useHotkeys("shift+r", () => void doAct("restart"), { useKey: true, enabled: builds && current !== null });
  const state = held ? (
    <Typography sx={{ color: colours.copperText, fontWeight: 600 }}>not saved yet</Typography>
  ) : waiting ? (
    <Typography sx={{ color: "text.secondary" }}>no bench for this craft yet</Typography>
  ) : current ? (
    <Differences differs={differs} edit={edit} version={craft.version} />
  ) : (
    <Typography sx={{ color: "text.secondary" }}>comparing…</Typography>
  );
  const acts = (
    <>
      <Button data-act variant="contained" disabled={!mayWrite} onClick={() => void writeDraft(craft.version)}>
        Write to board
      </Button>
      <Button data-act variant="outlined" disabled={!current || !asks} onClick={() => doAct("read back")}>
        Read back
      </Button>
      <Button
        data-act
        variant="outlined"
        disabled={!current || !builds}
        onClick={() => doAct("restart")}
        sx={current?.restart_due ? { borderColor: colours.copper, color: colours.copperText, borderWidth: 2 } : undefined}
      >
        Restart board
      </Button>
    </>
  );
  const who = (
    <>
      <Typography component="span" sx={{ color: "text.secondary", fontSize: 13 }}>
        {user}
        {!builds && `, ${craft.role}: ${asks ? "you look, ring wires out and move sticks; builders edit" : "you look on"}`}
      </Typography>
      <Button
        variant="text"
        color="inherit"
        onClick={() => signOut.mutate()}
        sx={{ minWidth: 0, px: 0.5, color: colours.softInk, fontWeight: 500 }}
      >
        Sign out
      </Button>
    </>
  );
  if (phone)
    return (
      <TopLine>
        <Typography component="span" sx={{ fontWeight: 600, overflow: "hidden", textOverflow: "ellipsis", minWidth: 0 }}>
          {craft.document.name}
        </Typography>
        <Box sx={{ flex: 1 }} />
        <LastAct />
        <Folded due={held || differs > 0 || Boolean(current?.restart_due)} who={who}>
          {state}
          {acts}
        </Folded>
      </TopLine>
    );
  return (
    <TopLine>
      <Typography component="span" sx={{ color: "text.secondary" }}>
        <Link to="/" style={{ color: "inherit" }}>
          Crafts
        </Link>{" "}
        /
      </Typography>
      <Typography component="span" sx={{ fontWeight: 600 }}>
        {craft.document.name}
      </Typography>
      <Typography
        component="span"
        sx={{ color: "text.secondary", overflow: "hidden", textOverflow: "ellipsis", minWidth: 0, flexShrink: 20 }}
      >
        {craft.document.about}
      </Typography>
      <Box sx={{ flex: 1 }} />
      <LastAct />
      {state}
      {acts}
      <Button variant="text" color="inherit" onClick={onHelp} aria-label="Keyboard shortcuts" sx={{ minWidth: 0, px: 1 }}>
        ?
      </Button>
      {who}
    </TopLine>
  );
}

/** On a hand-held screen: how draft and board stand, and the acts, behind one button that says whether something is due. */
function Folded({ due, who, children }: { due: boolean; who: ReactNode; children: ReactNode }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <Button
        variant="outlined"
        aria-haspopup="dialog"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={due ? { borderColor: colours.copper, color: colours.copperText, borderWidth: 2 } : undefined}
      >
        {due ? "Board: to do" : "Board"}
      </Button>
      <Popover
        open={!!anchor}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "right" }}
        transformOrigin={{ vertical: "top", horizontal: "right" }}
        slotProps={{ paper: { role: "dialog", "aria-label": "Draft and board" } }}
      >
        <Box
          onClick={(event) => event.target instanceof Element && event.target.closest("[data-act]") && setAnchor(null)}
          sx={{ p: 1.5, display: "grid", gap: 1, minWidth: 230, "& .MuiButton-root": { minHeight: 40 } }}
        >
          {children}
          <Box
            sx={{
              display: "flex",
              alignItems: "center",
              justifyContent: "space-between",
              gap: 1,
              borderTop: 1,
              borderColor: "divider",
              pt: 1,
            }}
          >
            {who}
          </Box>
        </Box>
      </Popover>
    </>
  );
}

const WHY: Record<Report["differences"][number]["because"], string> = {
  rounded: "the board keeps it in steps of its own",
  "not in this firmware": "its firmware does not have it",
  "not written": "not written yet, or changed on the board",
};

function Differences({ differs, edit, version }: { differs: number; edit: HopProps["edit"]; version: number }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const report = useSteady(drawn);
  if (report && !report.known)
    return <Typography sx={{ color: colours.copperText, fontWeight: 600 }}>what is on the board is not known: read back</Typography>;
  if (differs === 0) {
    const due = report?.restart_due;
    return (
      <Typography sx={{ color: due ? colours.copperText : colours.verdigris, fontWeight: 600 }}>
        {due ? "restart due: ports wait for it" : "draft is on the board"}
      </Typography>
    );
  }
  return (
    <>
      <Button variant="text" onClick={(event) => setAnchor(event.currentTarget)} aria-haspopup="dialog" sx={{ color: colours.copperText }}>
        {differs === 1 ? "1 setting differs from the board" : `${differs} settings differ from the board`}
      </Button>
      <Popover
        open={!!anchor}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
        slotProps={{ paper: { role: "dialog", "aria-label": "Settings that differ" } }}
      >
        <Box
          component="table"
          sx={{
            m: { xs: 0.5, md: 2 },
            borderSpacing: "14px 4px",
            fontSize: 13,
            "& td": { fontFamily: mono },
            "& th": { textAlign: "left", fontWeight: 500 },
          }}
        >
          <thead>
            <tr>
              <Box component="th" sx={{ color: colours.softInk }}>
                setting
              </Box>
              <Box component="th" sx={{ color: colours.softInk }}>
                on board
              </Box>
              <Box component="th" sx={{ color: colours.softInk }}>
                draft
              </Box>
              <Box component="th" sx={{ color: colours.softInk }}>
                why
              </Box>
              <th />
            </tr>
          </thead>
          <tbody>
            {report?.differences.map((each) => (
              <tr key={each.path}>
                <th>{each.name}</th>
                <td>{each.on_board_says}</td>
                <td style={{ color: colours.copperText }}>{each.draft_says}</td>
                <td style={{ fontFamily: "inherit", color: colours.softInk }}>{WHY[each.because]}</td>
                <td>
                  <Button
                    variant="outlined"
                    sx={{ py: 0, fontSize: 12.5 }}
                    aria-label={`Take the board's ${each.name}`}
                    onClick={() => edit([each.take], version)}
                  >
                    take the board's
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </Box>
      </Popover>
    </>
  );
}

const UNDER_THE_LINE = {
  position: "absolute",
  zIndex: 1400, // also over the menu that it was asked from
  top: TOP_LINE_PX,
  left: 0,
  right: 0,
  px: 1.5,
  py: 0.75,
  bgcolor: "background.paper",
  borderBottom: 1,
  borderColor: "divider",
} as const;

/** What came of the last act. A refusal stays until what it was refused for may be otherwise: board armed or not, with supply or not. */
function LastAct() {
  const answer = useBenchStore((state) => state.answer);
  const standing = useBenchStore(({ live }) => (live ? `${live.board.armed} ${live.board.powered} ${live.pack} ${live.usb}` : ""));
  const refusedWhile = useRef(standing);
  // biome-ignore lint/correctness/useExhaustiveDependencies: how things stood is noted when the answer comes
  useEffect(() => {
    refusedWhile.current = standing;
  }, [answer]);
  useEffect(() => {
    if (standing !== refusedWhile.current) useBenchStore.setState(({ answer }) => (answer && !answer.ok ? { answer: null } : {}));
  }, [standing]);
  useEffect(() => {
    if (!answer?.ok) return;
    const timer = window.setTimeout(() => useBenchStore.setState({ answer: null }), 5000);
    return () => window.clearTimeout(timer);
  }, [answer]);
  const phone = usePhone();
  return (
    <Box
      role="status"
      sx={{
        fontSize: 12.5,
        color: answer && !answer.ok ? colours.oxide : colours.softInk,
        maxWidth: { xs: "none", md: 240 },
        whiteSpace: "normal",
        lineHeight: 1.2,
        ...(phone && answer && UNDER_THE_LINE),
      }}
    >
      {answer ? (answer.ok ? answer.text : `${answer.act}: ${answer.text}`) : ""}
    </Box>
  );
}
