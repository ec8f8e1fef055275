import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { ImageFacts, ImageRow, ReadView } from "../../api/types";
import { RoomUsed } from "../../craft/RoomUsed";
import { colours, mono } from "../../look/colours";
import { DropZone } from "../../look/DropZone";
import { Panel } from "../../look/Panel";
import { Problem } from "../../look/Problem";
import { useAsked } from "../../look/useAsked";
import { WideTable } from "../../look/WidePicture";
import { hex, readImage, shelve, sized, unshelve, useShelf } from "./useLoad";

const MOST_MB = 48;
const COLUMNS = "minmax(0, 1.2fr) 60px minmax(0, 1fr) 62px 88px 60px";
const FACTS = {
  display: "grid",
  gridTemplateColumns: "max-content minmax(0, 1fr)",
  columnGap: 2,
  rowGap: 0.25,
  m: 0,
  fontSize: 13,
  "& dd": { m: 0, fontFamily: mono, overflowWrap: "anywhere" },
} as const;

/** The workshop's images; and the way to put another one there. */
export function Shelf({ workshopId }: { workshopId: number }) {
  const queries = useQueryClient();
  const shelf = useShelf(workshopId);
  const asked = useAsked();
  const [found, setFound] = useState<{ file: File; read: ReadView } | null>(null);
  const [says, setSays] = useState("");
  const [search, setSearch] = useState("");
  const again = () => {
    void queries.invalidateQueries({ queryKey: ["shelf", workshopId] });
    void queries.invalidateQueries({ queryKey: ["load"] });
    void queries.invalidateQueries({ queryKey: ["room", workshopId] });
  };
  const take = async (file: File) => {
    setFound(null);
    setSays("");
    await asked.ask(async () => {
      if (file.size > MOST_MB << 20) throw new Error(`${file.name} is larger than ${MOST_MB} MB; an image of more than 16 MB is not taken`);
      setFound({ file, read: await readImage(workshopId, file) });
    });
  };
  const put = (facts?: object) =>
    asked.ask(async () => {
      if (!found) return;
      const { image, new: isNew } = await shelve(workshopId, found.file, facts);
      setSays(isNew ? `${image.name} is on the shelf.` : `These very bytes are there already, as ${image.name}.`);
      setFound(null);
      again();
    });
  const images = (shelf.data ?? []).filter((each) =>
    `${each.name} ${Object.values(each.facts).join(" ")}`.toLowerCase().includes(search.toLowerCase()),
  );
  return (
    <Box sx={{ display: "grid", gap: 2 }}>
      <DropZone accept=".hex,.bin" label="Choose an image" testId="image-file" disabled={asked.busy} onFile={(file) => void take(file)}>
        <span>or drop it here: Intel HEX (.hex) or raw binary (.bin), up to 16 MB. It is read and checked first.</span>
      </DropZone>
      <RoomUsed workshopId={workshopId} />
      <Problem text={asked.problem || (shelf.error?.message ?? "")} />
      {says && (
        <Box role="status" sx={{ color: colours.verdigris, fontWeight: 600 }}>
          {says}
        </Box>
      )}
      {found && <Found read={found.read} busy={asked.busy} onPut={put} onDrop={() => setFound(null)} />}
      <Panel
        title={`${shelf.data?.length ?? 0} images`}
        aside={<TextField label="Find" value={search} onChange={(event) => setSearch(event.target.value)} sx={{ width: 180 }} />}
      >
        {shelf.data?.length === 0 && (
          <Box sx={{ color: "text.secondary" }}>The shelf is empty. Images for every device that you flash belong here.</Box>
        )}
        <WideTable name="Images" least={620}>
          <div>
            <Box
              aria-hidden="true"
              sx={{ display: "grid", gridTemplateColumns: COLUMNS, columnGap: 1.5, fontSize: 12.5, color: "text.secondary" }}
            >
              <span>Target</span>
              <span>Version</span>
              <span>Radio</span>
              <Box component="span" sx={{ textAlign: "right" }}>
                Size
              </Box>
              <span>CRC-32</span>
              <span />
            </Box>
            <Box component="ul" aria-label="Images on the shelf" sx={{ listStyle: "none", m: 0, p: 0 }}>
              {images.map((each) => (
                <Row key={each.id} image={each} onDrop={() => asked.ask(async () => unshelve(each.id).then(again))} />
              ))}
            </Box>
          </div>
        </WideTable>
      </Panel>
    </Box>
  );
}

function Row({ image, onDrop }: { image: ImageRow; onDrop: () => void }) {
  const [open, setOpen] = useState(false);
  const facts = image.facts;
  return (
    <Box component="li" sx={{ borderBottom: `1px solid ${colours.hairline}`, fontSize: 13 }}>
      <Box sx={{ display: "grid", gridTemplateColumns: COLUMNS, columnGap: 1.5, alignItems: "baseline", py: 0.5 }}>
        <Button
          variant="text"
          color="inherit"
          aria-expanded={open}
          aria-label={`${image.name}: more`}
          onClick={() => setOpen(!open)}
          sx={{ p: 0, minWidth: 0, justifyContent: "start", fontWeight: open ? 600 : 400 }}
        >
          <span aria-hidden="true">{open ? "▾" : "▸"}&nbsp;</span>
          {facts.target}
        </Button>
        <Box component="span" sx={{ fontFamily: mono }}>
          {facts.version}
        </Box>
        <span>{[facts.family, facts.band, facts.region].filter(Boolean).join(" · ")}</span>
        <Box component="span" sx={{ fontFamily: mono, fontSize: 12.5, textAlign: "right" }}>
          {sized(image.size)}
        </Box>
        <Box component="span" sx={{ fontFamily: mono, fontSize: 12.5 }}>
          {image.crc32}
        </Box>
        <Button
          variant="text"
          onClick={onDrop}
          sx={{ p: 0, minWidth: 0, whiteSpace: "nowrap" }}
          aria-label={`Remove ${image.name} from the shelf`}
        >
          Remove
        </Button>
      </Box>
      {open && (
        <Box component="dl" sx={{ ...FACTS, ml: 2.5, mb: 1 }}>
          <dt>File</dt>
          <dd>
            {image.name}, put here {new Date(image.made_at).toLocaleString([], { dateStyle: "medium", timeStyle: "short" })}
            {image.made_by ? ` by ${image.made_by}` : ""}
          </dd>
          <dt>Size, place</dt>
          <dd>
            {image.size} bytes, {hex(image.address)} to {hex(image.address + image.size)}
            {image.start !== null && `, starts at ${hex(image.start)}`}
          </dd>
          <dt>SHA-256</dt>
          <dd>{image.sha256}</dd>
          <dt>Needs</dt>
          <dd>bootloader {facts.least_bootloader} or newer</dd>
          {facts.channels !== null && facts.channels !== undefined && (
            <>
              <dt>Link</dt>
              <dd>
                {facts.channels} channels, {facts.telemetry ? "telemetry" : "no telemetry"}
              </dd>
            </>
          )}
          <dt>Download</dt>
          <dd>
            {["hex", "bin"].map((kind) => (
              <a
                key={kind}
                href={`/api/images/${image.id}/file.${kind}`}
                download
                style={{ marginRight: 12 }}
                aria-label={`Download ${image.name} as .${kind}`}
              >
                .{kind}
              </a>
            ))}
          </dd>
        </Box>
      )}
    </Box>
  );
}

const EMPTY = { target: "", version: "", family: "", band: "", region: "", least_bootloader: "" };

/** A file that was read: what it is, and the form beside it where it does not say so itself. */
function Found({ read, busy, onPut, onDrop }: { read: ReadView; busy: boolean; onPut: (facts?: object) => void; onDrop: () => void }) {
  const inside = read.inside as ImageFacts | null;
  const [form, setForm] = useState<Record<keyof typeof EMPTY, string>>(EMPTY);
  const field = (name: keyof typeof EMPTY, label: string, choices?: string[]) => (
    <TextField
      label={label}
      value={inside ? String(inside[name] ?? "") : form[name]}
      disabled={inside !== null}
      select={choices !== undefined && inside === null}
      onChange={(event) => setForm({ ...form, [name]: name === "target" ? event.target.value.toUpperCase() : event.target.value })}
      sx={{ width: 150 }}
    >
      {choices?.map((each) => (
        <MenuItem key={each} value={each}>
          {each || "none"}
        </MenuItem>
      ))}
    </TextField>
  );
  const ready = inside !== null || (form.target !== "" && /^\d+\.\d+\.\d+$/.test(form.version));
  return (
    <Panel title={read.name} aside={read.on_shelf ? `on the shelf already, as ${read.on_shelf}` : "not on the shelf yet"}>
      <Box component="dl" sx={{ ...FACTS, mb: 1.5 }}>
        <dt>Size</dt>
        <dd>
          {sized(read.size)}
          {read.size >= 1024 && `, ${read.size} bytes`}
        </dd>
        <dt>CRC-32</dt>
        <dd>{read.crc32}</dd>
        <dt>SHA-256</dt>
        <dd>{read.sha256}</dd>
        <dt>Address</dt>
        <dd>{read.address === null ? "where its target's flash begins" : `${hex(read.address)} to ${hex(read.address + read.size)}`}</dd>
        {read.start !== null && (
          <>
            <dt>Starts at</dt>
            <dd>{hex(read.start)}</dd>
          </>
        )}
      </Box>
      {read.remarks.map((remark) => (
        <Box key={remark} sx={{ fontSize: 13, mb: 1, color: colours.copperText, fontWeight: 600 }}>
          {remark}
        </Box>
      ))}
      <Box sx={{ fontSize: 13, mb: 1, color: "text.secondary" }}>
        {inside ? "Its own header says what it is for:" : "It has no header. Say what it is for:"}
      </Box>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        {field("target", "Target")}
        {field("version", "Version, as 3.1.0")}
        {field("family", "Protocol family")}
        {field("band", "Radio band", ["", "2.4 GHz", "900 MHz"])}
        {field("region", "Region", ["", "FCC", "LBT", "868", "915"])}
        {field("least_bootloader", "Least bootloader")}
      </Box>
      <Box sx={{ display: "flex", gap: 1, mt: 1.5 }}>
        <Button variant="contained" disabled={busy || !ready} onClick={() => onPut(inside ? undefined : form)}>
          Put it on the shelf
        </Button>
        <Button variant="outlined" onClick={onDrop}>
          Discard
        </Button>
      </Box>
    </Panel>
  );
}
