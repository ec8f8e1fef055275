import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import type { LoomView } from "../../api/types";
import { useBenchStore } from "../../bench/useBench";
import type { DraftHopProps } from "../../craft/CraftPage";
import { ringOut, takeRingBack, useLoomView } from "../../craft/useWorkedOut";
import { colours, mono } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { Panel } from "../../look/Panel";
import { WIRE_HEX } from "../../look/wires";
import { Currents } from "./Currents";

const INITIALS = "coin-bell-initials";

export function LoomHop({ craft, edit }: DraftHopProps) {
  const loom = useLoomView(craft);
  const [lit, setLit] = useState<string | null>(null);
  const view = loom.data?.view;
  const file = (kind: string) => `/api/crafts/${craft.id}/loom.${kind}`;
  const head = (
    <HopHead title="Loom" question="Which wire goes where, what does it carry, and is it proven?">
      {view && (
        <Box sx={{ display: "flex", gap: 1 }}>
          {["svg", "pdf", "csv"].map((kind) => (
            <Button key={kind} variant="outlined" href={file(kind)} download>
              {{ svg: "Drawing, SVG", pdf: "To print, PDF", csv: "Wire list, CSV" }[kind]}
            </Button>
          ))}
        </Box>
      )}
    </HopHead>
  );
  if (!craft.document.kit?.board)
    return (
      <>
        {head}
        <Box sx={{ mt: 4, textAlign: "center" }}>
          There is no board to wire to yet. <Link to={`/crafts/${craft.id}/kit`}>Choose one in the Kit</Link>.
        </Box>
      </>
    );
  if (!view)
    return (
      <>
        {head}
        <Box role={loom.error ? "alert" : undefined}>{loom.error?.message ?? "Drawing…"}</Box>
      </>
    );
  return (
    <>
      {head}
      {view.wires.length === 0 && (
        <Box sx={{ mb: 2, p: 2, border: `1px dashed ${colours.tarnish}`, borderRadius: 1.5 }}>
          Nothing is wired yet. <Link to={`/crafts/${craft.id}/port-plan`}>Work the Port plan out</Link>: the wire list follows from it.
        </Box>
      )}
      {view.wires.length > 0 && view.completed.length > 0 && (
        <Box
          sx={{
            mb: 2,
            p: 1.5,
            bgcolor: colours.copperWash,
            borderRadius: 1,
            display: "flex",
            gap: 2,
            alignItems: "center",
            fontSize: 13.5,
          }}
        >
          <span>
            Supply, ground and outputs could be completed:{" "}
            {view.completed.map((each) => `${each.device} ${each.pin} ${each.after ? `to ${each.after}` : "off"}`).join(", ")}.
          </span>
          <Button variant="outlined" onClick={() => edit(view.completing)}>
            Complete
          </Button>
        </Box>
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: "minmax(520px, 1fr) 400px", gap: 2.5, alignItems: "start" }}>
        <Box sx={{ minWidth: 0, display: "grid", gap: 2 }}>
          <Drawing svg={view.drawing} lit={lit} />
          <Currents rails={view.rails} usb={view.usb} />
        </Box>
        <WireList craft={craft} view={view} lit={lit} onLight={setLit} edit={edit} />
      </Box>
    </>
  );
}

/** The server's own drawing, the same that is downloaded and printed. */
function Drawing({ svg, lit }: { svg: string; lit: string | null }) {
  return (
    <Box
      // biome-ignore lint/security/noDangerouslySetInnerHtml: our own server's drawing, every name in it escaped
      dangerouslySetInnerHTML={{ __html: svg }}
      sx={{
        "& > svg": { maxWidth: "100%", height: "auto", display: "block" },
        "& .wire": { transition: "opacity 0.15s" },
        ...(lit && { "& .wire": { opacity: 0.18 }, [`& .wire[data-wire="${CSS.escape(lit)}"]`]: { opacity: 1 } }),
      }}
    />
  );
}

function WireList({
  craft,
  view,
  lit,
  onLight,
  edit,
}: Pick<DraftHopProps, "craft" | "edit"> & { view: LoomView; lit: string | null; onLight: (key: string | null) => void }) {
  const queries = useQueryClient();
  const live = useBenchStore((state) => state.report?.rung);
  const [initials, setInitials] = useState(() => localStorage.getItem(INITIALS) ?? "");
  const [problem, setProblem] = useState("");
  const rung = { ...view.rung, ...live };
  const again = () => queries.invalidateQueries({ queryKey: ["worked out", craft.id, "loom"] });
  useEffect(() => localStorage.setItem(INITIALS, initials), [initials]);
  const tick = async (wire: string) => {
    setProblem("");
    try {
      await (wire in rung ? takeRingBack(craft, wire) : ringOut(craft, wire, initials));
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
    await again();
  };
  const done = view.wires.filter((wire) => wire.key in rung).length;
  return (
    <Panel title="Wire list" aside={`${done} of ${view.wires.length} rung out`}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1, fontSize: 12.5, color: "text.secondary" }}>
        <TextField
          label="Your initials"
          value={initials}
          onChange={(event) => setInitials(event.target.value)}
          slotProps={{ htmlInput: { maxLength: 6 } }}
          sx={{ width: 110, flexShrink: 0 }}
        />
        <span>Ring each wire out, then tick it. A wire that only the signal can have come through ticks itself.</span>
      </Box>
      {problem && (
        <Box role="alert" sx={{ color: colours.oxide, fontSize: 13, mb: 1 }}>
          {problem}
        </Box>
      )}
      <Box
        component="table"
        aria-label="Wire list"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          fontSize: 12.5,
          "& td": { py: 0.35, pr: 0.75, borderTop: `1px solid ${colours.hairline}` },
        }}
      >
        <tbody>
          {view.wires.map((wire) => (
            <Box
              component="tr"
              key={wire.key}
              onMouseEnter={() => onLight(wire.key)}
              onMouseLeave={() => onLight(null)}
              sx={{ bgcolor: lit === wire.key ? colours.verdigrisWash : undefined }}
            >
              <td>
                <Box
                  component="span"
                  title={wire.colour}
                  sx={{
                    display: "inline-block",
                    width: 12,
                    height: 12,
                    borderRadius: "50%",
                    border: `1px solid ${colours.ink}`,
                    bgcolor: WIRE_HEX[wire.colour],
                    verticalAlign: -1,
                  }}
                />
              </td>
              <td>
                <b>{wire.device}</b>{" "}
                <Box component="span" sx={{ fontFamily: mono }}>
                  {wire.pin} → {wire.pad}
                </Box>
                <Box sx={{ color: "text.secondary" }}>
                  {wire.purpose}, {wire.to}
                  {wire.inverter ? ", through an inverter" : ""}
                  {wire.fixed ? ", fixed" : ""}
                </Box>
              </td>
              <td style={{ textAlign: "right" }}>
                <Button
                  variant={wire.key in rung ? "text" : "outlined"}
                  aria-pressed={wire.key in rung}
                  aria-label={`${wire.device} ${wire.pin} to ${wire.pad} ${wire.key in rung ? `rung out: ${rung[wire.key]}` : "rings"}`}
                  onFocus={() => onLight(wire.key)}
                  onBlur={() => onLight(null)}
                  onClick={() => tick(wire.key)}
                  sx={{
                    py: 0,
                    fontSize: 12,
                    lineHeight: 1.25,
                    color: wire.key in rung ? colours.verdigris : undefined,
                    textAlign: "right",
                  }}
                >
                  {wire.key in rung ? `✓ ${rung[wire.key]?.replace(" UTC", "")}` : "it rings"}
                </Button>
              </td>
              <td>
                <Button
                  variant="text"
                  aria-label={`Take ${wire.device} ${wire.pin} off`}
                  sx={{ minWidth: 0, p: 0, color: colours.softInk, fontSize: 12 }}
                  onClick={() =>
                    edit((document) => {
                      document.wiring = document.wiring?.filter((patch) => `${patch.device}/${patch.pin}/${patch.pad}` !== wire.key);
                      return document;
                    })
                  }
                >
                  off
                </Button>
              </td>
            </Box>
          ))}
        </tbody>
      </Box>
    </Panel>
  );
}
