import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, taken } from "../api/client";
import type { Part, Parts } from "../api/types";
import { Centred } from "../look/Centred";
import { colours, mono } from "../look/colours";
import { JsonFileButton } from "../look/JsonFileButton";
import { Panel } from "../look/Panel";
import { Problem } from "../look/Problem";
import { columns, usePhone } from "../look/phone";
import { TopLine } from "../look/TopLine";
import { useAsked } from "../look/useAsked";
import { facts, inShort, KIND_WORDS } from "./facts";
import { PartForm } from "./PartForm";
import type { Json } from "./SchemaForm";
import { draftName, keepDraft, usePartDraft, useWarnOfDraft } from "./usePartDraft";
import { useParts } from "./useParts";

const KINDS: Part["kind"][] = ["board", "receiver", "transmitter", "module", "peripheral", "pack"];

function listOf(parts: Parts, kind: Part["kind"]): Part[] {
  return {
    board: parts.boards,
    receiver: parts.receivers,
    transmitter: parts.transmitters,
    module: parts.modules,
    peripheral: parts.peripherals,
    pack: parts.packs,
  }[kind];
}

/** The catalogue and the workshop's own parts; each part has a page with its facts. */
export default function PartsPage({ user }: { user: string }) {
  const { workshopId = "", partId } = useParams();
  const workshop = Number(workshopId);
  const parts = useParts(workshop);
  const [search, setSearch] = useState("");
  const draft = usePartDraft((state) => state.draft);
  const [aside, setAside] = useState(false);
  const phone = usePhone();
  useWarnOfDraft();
  if (parts.isPending) return <Centred>Opening the parts…</Centred>;
  if (!parts.data)
    return (
      <Centred>
        <p role="alert">{parts.error?.message}</p>
        <Link to="/">All crafts</Link>
      </Centred>
    );
  const all = KINDS.flatMap((kind) => listOf(parts.data, kind));
  const part = all.find((each) => each.id === partId);
  const own = parts.data.own.find((each) => each.id === partId);
  const open = Boolean(partId) || (draft !== null && !aside);
  const begin = (facts: Json, version: number | null) => {
    keepDraft({ workshop, facts, version });
    setAside(false);
  };
  const hit = (each: Part) => `${each.name} ${inShort(each)} ${each.about}`.toLowerCase().includes(search.toLowerCase());
  return (
    <Box data-ready sx={{ height: "100dvh", display: "grid", gridTemplateRows: "48px minmax(0, 1fr)" }}>
      <TopLine>
        <Link to="/" style={{ color: colours.softInk }}>
          Crafts
        </Link>
        <span>/</span>
        <b>Parts</b>
        <Box sx={{ flex: 1 }} />
        {!phone && <Exchange workshop={workshop} />}
        <Typography sx={{ color: "text.secondary", fontSize: 13 }}>{user}</Typography>
      </TopLine>
      <Box sx={{ display: "grid", gridTemplateColumns: columns("360px minmax(0, 1fr)"), minHeight: 0 }}>
        <Box
          component="nav"
          aria-label="Parts"
          hidden={phone && open}
          sx={{ overflow: "auto", borderRight: 1, borderColor: "divider", p: 2, bgcolor: colours.bench }}
        >
          {phone && (
            <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1, mb: 1.5 }}>
              <Exchange workshop={workshop} />
            </Box>
          )}
          <TextField
            fullWidth
            label="Search"
            value={search}
            onChange={(event) => setSearch(event.target.value)}
            sx={{ bgcolor: "background.paper" }}
          />
          {KINDS.map((kind) => (
            <Box component="section" key={kind} sx={{ mt: 2 }}>
              <Typography variant="h2" sx={{ fontSize: 13, color: colours.softInk }}>
                {KIND_WORDS[kind]}
              </Typography>
              <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0 }}>
                {listOf(parts.data, kind)
                  .filter(hit)
                  .map((each) => (
                    <Box component="li" key={each.id} sx={{ py: 0.25, display: "flex", gap: 1, alignItems: "baseline" }}>
                      <Link
                        to={`/workshops/${workshop}/parts/${each.id}`}
                        onClick={() => setAside(true)}
                        aria-current={each.id === partId ? "page" : undefined}
                        style={{
                          color: each.id === partId ? colours.verdigris : colours.ink,
                          fontWeight: each.id === partId ? 700 : 500,
                          whiteSpace: "nowrap",
                        }}
                      >
                        {each.name}
                      </Link>
                      <Box
                        component="span"
                        sx={{ fontSize: 12, color: "text.secondary", overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}
                      >
                        {parts.data.own.some((one) => one.id === each.id) ? "your own · " : ""}
                        {inShort(each)}
                      </Box>
                    </Box>
                  ))}
              </Box>
            </Box>
          ))}
          {parts.data.own
            .filter((each) => each.trouble)
            .map((each) => (
              <Box key={each.id} role="alert" sx={{ mt: 1, fontSize: 12.5, color: colours.oxide }}>
                {each.id} cannot be used: {each.trouble}
              </Box>
            ))}
        </Box>
        <Box component="main" hidden={phone && !open} sx={{ overflow: "auto", p: { xs: 1.5, md: 3 } }}>
          {phone && (
            <Box sx={{ mb: 1 }}>
              <Link to={`/workshops/${workshop}/parts`} onClick={() => setAside(true)} style={{ color: colours.verdigris }}>
                All parts
              </Link>
            </Box>
          )}
          {draft && (aside || draft.workshop !== workshop) && (
            <Box
              role="status"
              sx={{
                mb: 2,
                p: 1.25,
                bgcolor: colours.copperWash,
                borderRadius: 1,
                display: "flex",
                gap: 1.5,
                alignItems: "center",
                fontSize: 13.5,
              }}
            >
              <span>
                <b>{draftName(draft)}</b> is not saved yet.
              </span>
              {draft.workshop === workshop && (
                <Button variant="outlined" onClick={() => setAside(false)}>
                  Go on with it
                </Button>
              )}
              <Button variant="outlined" onClick={() => keepDraft(null)}>
                Discard
              </Button>
            </Box>
          )}
          {draft && draft.workshop === workshop && !aside ? (
            <PartForm draft={draft} />
          ) : part ? (
            <PartSheet
              part={part}
              own={!!own}
              workshop={workshop}
              busy={draft !== null}
              onCopy={() => begin(copied(part, all), null)}
              onEdit={() => own && begin(stored(part), own.version)}
            />
          ) : (
            <Box sx={{ maxWidth: 560 }}>
              <Typography variant="h1">{partId ? "There is no such part (any more)" : "Parts and their facts"}</Typography>
              <p>
                Every rule of the later hops works from these facts, never from a part's name. Open a part to read its facts; copy one to
                make a part of your own.
              </p>
            </Box>
          )}
        </Box>
      </Box>
    </Box>
  );
}

const WORKED_OUT = ["inverting_pads", "full_volts", "nominal_volts", "empty_volts"];

/** A part's facts without what is worked out from them. */
function stored(part: Part): Json {
  return JSON.parse(JSON.stringify(part, (key, value) => (WORKED_OUT.includes(key) ? undefined : value))) as Json;
}

function copied(part: Part, all: Part[]): Json {
  let id = `own-${part.id}`;
  for (let count = 2; all.some((each) => each.id === id); count += 1) id = `own-${part.id}-${count}`;
  return { ...(stored(part) as { [key: string]: Json }), id, name: `Own ${part.name}` };
}

function PartSheet({
  part,
  own,
  workshop,
  busy,
  onCopy,
  onEdit,
}: {
  part: Part;
  own: boolean;
  workshop: number;
  busy: boolean;
  onCopy: () => void;
  onEdit: () => void;
}) {
  const queries = useQueryClient();
  const go = useNavigate();
  const { problem, ask } = useAsked();
  const remove = () =>
    ask(async () => {
      await taken(
        api.DELETE("/api/workshops/{workshop_id}/parts/own/{part_id}", { params: { path: { workshop_id: workshop, part_id: part.id } } }),
      );
      await queries.invalidateQueries({ queryKey: ["parts"] });
      go(`/workshops/${workshop}/parts`);
    });
  return (
    <Box sx={{ maxWidth: 860, display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 2 }}>
      <Box sx={{ display: "flex", alignItems: "flex-start", gap: 1, flexWrap: "wrap" }}>
        <Box sx={{ flex: { xs: "1 0 100%", md: 1 } }}>
          <Typography variant="h1">{part.name}</Typography>
          <Typography sx={{ color: "text.secondary" }}>{part.about}</Typography>
        </Box>
        {own && (
          <>
            <Button variant="outlined" disabled={busy} onClick={onEdit}>
              Change its facts
            </Button>
            <Button variant="outlined" onClick={remove}>
              Delete
            </Button>
          </>
        )}
        <Button variant="contained" disabled={busy} onClick={onCopy}>
          Copy as own part
        </Button>
      </Box>
      <Problem text={problem} />
      <Panel title="Facts" aside={own ? "your workshop's own" : "shipped with the app"}>
        <Box
          component="dl"
          sx={{
            m: 0,
            display: "grid",
            gridTemplateColumns: { xs: "104px minmax(0, 1fr)", md: "150px minmax(0, 1fr)" },
            rowGap: 0.75,
            fontSize: 13.5,
            "& dt": { color: "text.secondary" },
            "& dd": { m: 0 },
          }}
        >
          {facts(part).map(([name, value]) => (
            <Box key={name} sx={{ display: "contents" }}>
              <dt>{name}</dt>
              <dd>{value}</dd>
            </Box>
          ))}
        </Box>
      </Panel>
      {part.kind === "board" && (
        <Panel title="Pads" aside="as they sit on the board, left and right">
          <Box sx={{ display: "grid", gridTemplateColumns: columns("1fr 1fr"), gap: 3 }}>
            {(["left", "right"] as const).map((side) => (
              <Box component="ul" key={side} sx={{ listStyle: "none", m: 0, p: 0, fontSize: 13 }}>
                {part.pads
                  .filter((pad) => pad.side === side)
                  .map((pad) => (
                    <li key={pad.name}>
                      <Box component="span" sx={{ fontFamily: mono, display: "inline-block", width: 60 }}>
                        {pad.name}
                      </Box>
                      {[
                        pad.port ?? pad.rail ?? pad.kind,
                        pad.port && pad.kind.toUpperCase(),
                        pad.reads?.join(", "),
                        pad.inverter !== "none" && `inverter ${pad.inverter}`,
                        pad.pin && `pin ${pad.pin}`,
                        pad.also,
                      ]
                        .filter(Boolean)
                        .join(", ")}
                    </li>
                  ))}
              </Box>
            ))}
          </Box>
        </Panel>
      )}
    </Box>
  );
}

/** Own parts out and in, as JSON. */
function Exchange({ workshop }: { workshop: number }) {
  const queries = useQueryClient();
  const [said, setSaid] = useState<{ text: string; bad: boolean } | null>(null);
  const read = async (data: never) => {
    const came = await taken(
      api.POST("/api/workshops/{workshop_id}/parts/file", { params: { path: { workshop_id: workshop } }, body: data }),
    );
    setSaid({ text: `${came.added.length} parts added, ${came.replaced.length} replaced`, bad: false });
    await queries.invalidateQueries({ queryKey: ["parts"] });
  };
  return (
    <>
      {said && (
        <Box
          role={said.bad ? "alert" : "status"}
          sx={{ fontSize: 12.5, color: said.bad ? colours.oxide : colours.verdigris, maxWidth: 520, lineHeight: 1.2 }}
        >
          {said.text}
        </Box>
      )}
      <JsonFileButton name="Parts file" onData={read} onProblem={(text) => setSaid({ text: `Nothing was taken. ${text}`, bad: true })}>
        Import own parts
      </JsonFileButton>
      <Button variant="outlined" href={`/api/workshops/${workshop}/parts/file`} download>
        Export own parts
      </Button>
    </>
  );
}
