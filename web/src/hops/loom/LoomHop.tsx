import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import type { DraftHopProps } from "../../craft/hopProps";
import { useLoomView } from "../../craft/useWorkedOut";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { columns } from "../../look/phone";
import { WidePicture } from "../../look/WidePicture";
import { NoBoard } from "../NoBoard";
import { Currents } from "./Currents";
import { WireList } from "./WireList";

export function LoomHop({ craft, catalogue, edit }: DraftHopProps) {
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
  if (!craft.document.kit.board)
    return (
      <>
        {head}
        <NoBoard craftId={craft.id} to="wire to" />
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
          <Button variant="outlined" onClick={() => edit(view.completing, loom.data?.version)}>
            Complete
          </Button>
        </Box>
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(520px, 1fr) 400px"), gap: 2.5, alignItems: "start" }}>
        <Box sx={{ minWidth: 0, display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 2 }}>
          <WidePicture name="Drawing" least={760}>
            <Drawing svg={view.drawing} lit={lit} onLight={setLit} />
          </WidePicture>
          <Currents rails={view.rails} usb={view.usb} />
        </Box>
        <WireList craft={craft} catalogue={catalogue} view={view} lit={lit} onLight={setLit} edit={edit} />
      </Box>
    </>
  );
}

/** The server's own drawing, the same that is downloaded and printed. */
function Drawing({ svg, lit, onLight }: { svg: string; lit: string | null; onLight: (wire: string | null) => void }) {
  const wireAt = (target: EventTarget) => (target instanceof Element ? (target.closest(".wire")?.getAttribute("data-wire") ?? null) : null);
  return (
    <Box
      onMouseOver={(event) => onLight(wireAt(event.target))}
      onMouseLeave={() => onLight(null)}
      onClick={(event) =>
        document.querySelector(`[data-row="${CSS.escape(wireAt(event.target) ?? "")}"]`)?.scrollIntoView({ block: "center" })
      }
      // biome-ignore lint/security/noDangerouslySetInnerHtml: our own server's drawing, every name in it escaped
      dangerouslySetInnerHTML={{ __html: svg }}
      sx={{
        "& > svg": { maxWidth: "100%", height: "auto", display: "block" },
        "& .wire": { transition: "opacity 0.15s", cursor: "pointer" },
        ...(lit && { "& .wire": { opacity: 0.18 }, [`& .wire[data-wire="${CSS.escape(lit)}"]`]: { opacity: 1 } }),
      }}
    />
  );
}
