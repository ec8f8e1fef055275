import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";
import type { Edit, KitView } from "../../api/types";
import { colours, mono } from "../../look/colours";

/** A question that is answered when it is asked. */
function Fold({ title, hint, children }: { title: string; hint: string; children: ReactNode }) {
  const [open, setOpen] = useState(false);
  return (
    <Box component="section" aria-label={title} sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.5 }}>
      <Box
        component="button"
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        sx={{
          all: "unset",
          cursor: "pointer",
          display: "flex",
          gap: 1.5,
          alignItems: "baseline",
          width: "100%",
          px: 2,
          py: 1.25,
          boxSizing: "border-box",
          "&:focus-visible": { outline: `2px solid ${colours.ink}` },
        }}
      >
        <Box component="span" aria-hidden="true" sx={{ fontFamily: mono, color: colours.verdigris }}>
          {open ? "−" : "+"}
        </Box>
        <Box component="span" sx={{ fontSize: 15, fontWeight: 600 }}>
          {title}
        </Box>
        <Box component="span" sx={{ color: "text.secondary", fontSize: 13 }}>
          {hint}
        </Box>
      </Box>
      {open && <Box sx={{ px: 2, pb: 2 }}>{children}</Box>}
    </Box>
  );
}

/** The catalogue's receivers that would do here, with what each would change. */
export function FitsPanel({ fits, current, onTake }: { fits: KitView["fits"]; current: string; onTake: (part: string) => void }) {
  const good = fits.filter((fit) => fit.fits);
  const hint = fits.length === 0 ? "choose a board and a transmitter first" : `${good.length} of ${fits.length} other receivers`;
  return (
    <Fold title="What else would fit?" hint={hint}>
      <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0, display: "grid", gap: 1 }}>
        {fits.map((fit) => (
          <Box
            component="li"
            key={fit.part}
            sx={{
              display: "grid",
              gridTemplateColumns: "120px 1fr 110px",
              gap: 1.5,
              alignItems: "baseline",
              fontSize: 13.5,
            }}
          >
            <b>{fit.name}</b>
            <span style={{ color: fit.fits ? colours.ink : colours.softInk }}>
              {fit.fits ? "" : "no: "}
              {fit.says.join("; ")}
            </span>
            {fit.fits && (
              <Button variant="outlined" onClick={() => onTake(fit.part)}>
                {current ? "Exchange" : "Choose"}
              </Button>
            )}
          </Box>
        ))}
      </Box>
    </Fold>
  );
}

/** First settings for this kind of airframe, taken line by line. */
export function StartingPanel({
  airframe,
  lines,
  onTake,
}: {
  airframe: string;
  lines: KitView["starting"];
  onTake: (edits: Edit[]) => void;
}) {
  const open = lines.filter((line) => !line.same);
  return (
    <Fold
      title={`Starting point for a ${airframe}`}
      hint={
        open.length
          ? `${open.length} ${open.length === 1 ? "setting" : "settings"} would differ; take what you want`
          : "all its settings are as you have them"
      }
    >
      <Box
        component="table"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          fontSize: 13.5,
          "& th": { textAlign: "left", fontWeight: 500, color: colours.softInk },
          "& td, & th": { py: 0.5, pr: 1.5, verticalAlign: "baseline" },
        }}
      >
        <thead>
          <tr>
            <th>setting</th>
            <th>now</th>
            <th>starting point</th>
            <th>why</th>
            <th aria-label="take" />
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <tr key={line.name}>
              <td>
                <b>{line.name}</b>
              </td>
              <Box component="td" sx={{ fontFamily: mono, fontSize: 12.5 }}>
                {line.now}
              </Box>
              <Box component="td" sx={{ fontFamily: mono, fontSize: 12.5, color: line.same ? colours.softInk : colours.copperText }}>
                {line.same ? "the same" : line.then}
              </Box>
              <Box component="td" sx={{ color: "text.secondary" }}>
                {line.why}
              </Box>
              <td>
                {!line.same && (
                  <Button variant="outlined" aria-label={`Take ${line.name}`} onClick={() => onTake([line.edit])}>
                    Take
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </Box>
    </Fold>
  );
}
