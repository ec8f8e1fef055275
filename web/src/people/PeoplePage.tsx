import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useParams } from "react-router";
import { api, taken } from "../api/client";
import type { People, Session } from "../api/types";
import { Centred } from "../look/Centred";
import { colours } from "../look/colours";
import { Panel } from "../look/Panel";
import { Problem } from "../look/Problem";
import { columns } from "../look/phone";
import { TopLine } from "../look/TopLine";
import { useAsked } from "../look/useAsked";

type Role = People["people"][number]["role"];
const ROLES: Record<Role, string> = {
  owner: "people and settings, and all that builders do",
  builder: "edits crafts, parts and the shelf; writes and flashes",
  checker: "reads, moves sticks and switches, rings wires out, signs",
  reader: "reads",
};
const KEY = (workshop: number) => ["people", workshop];

/** Who belongs to a workshop and what each may do; owners change it. */
export default function PeoplePage({ session }: { session: Session }) {
  const workshop = Number(useParams().workshopId);
  const queries = useQueryClient();
  const { problem, busy, ask, forget } = useAsked();
  const mine = session.workshops.find((each) => each.id === workshop)?.role;
  const found = useQuery({
    queryKey: KEY(workshop),
    queryFn: (): Promise<People> => taken(api.GET("/api/workshops/{workshop_id}/people", { params: { path: { workshop_id: workshop } } })),
  });
  if (!found.data)
    return (
      <Centred>
        {found.error ? <p role="alert">{found.error.message}</p> : "Looking who belongs here…"}
        <Link to="/">All crafts</Link>
      </Centred>
    );
  const owns = mine === "owner";
  const where = { params: { path: { workshop_id: workshop } } };
  const after = (people: People | undefined) => {
    if (!people) return false;
    queries.setQueryData(KEY(workshop), people);
    void queries.invalidateQueries({ queryKey: ["session"] });
    return true;
  };
  const put = async (username: string, role: Role, password = "") =>
    after(await ask(() => taken<People>(api.PUT("/api/workshops/{workshop_id}/people", { ...where, body: { username, role, password } }))));
  const takeOut = async (username: string) =>
    after(
      await ask(() =>
        taken<People>(
          api.DELETE("/api/workshops/{workshop_id}/people/{username}", { params: { path: { workshop_id: workshop, username } } }),
        ),
      ),
    );
  const rename = async (name: string) =>
    after(await ask(() => taken<People>(api.PATCH("/api/workshops/{workshop_id}/people", { ...where, body: { name } }))));
  return (
    <Box data-ready>
      <TopLine>
        <Link to="/" style={{ color: colours.softInk }}>
          Crafts
        </Link>
        <span>/</span>
        <b>People</b>
        <Box sx={{ flex: 1 }} />
        <Typography sx={{ color: "text.secondary", fontSize: 13 }}>{session.user}</Typography>
      </TopLine>
      <Box component="main" sx={{ maxWidth: 860, mx: "auto", p: 4, display: "grid", gap: 2.5 }}>
        <div>
          <Typography variant="h1">People of {found.data.name}</Typography>
          <Typography sx={{ color: "text.secondary" }}>
            {owns ? "What each may do here. A workshop keeps at least one owner." : `You are a ${mine} here; owners change this.`}
          </Typography>
        </div>
        <Problem text={problem} />
        <Panel title="Members">
          <Box component="ul" aria-label="Members" sx={{ listStyle: "none", m: 0, p: 0, display: "grid", gap: 1 }}>
            {found.data.people.map(({ username, role }) => (
              <Box
                component="li"
                key={username}
                sx={{ display: "grid", gridTemplateColumns: columns("150px 150px minmax(0, 1fr) auto"), gap: 2, alignItems: "center" }}
              >
                <b>{username}</b>
                {owns ? (
                  <RoleField label={`Role of ${username}`} role={role} onChoose={(to) => void put(username, to)} />
                ) : (
                  <span>{role}</span>
                )}
                <Box component="span" sx={{ color: "text.secondary", fontSize: 13 }}>
                  {ROLES[role]}
                </Box>
                {owns && (
                  <Button
                    variant="text"
                    disabled={busy}
                    aria-label={`Remove ${username}`}
                    sx={{ color: colours.softInk }}
                    onClick={() => void takeOut(username)}
                  >
                    Remove
                  </Button>
                )}
              </Box>
            ))}
          </Box>
        </Panel>
        {owns && <Add busy={busy} onType={forget} onAdd={put} />}
        {owns && <Rename key={found.data.name} name={found.data.name} busy={busy} onType={forget} onRename={rename} />}
      </Box>
    </Box>
  );
}

function RoleField({ label, role, onChoose }: { label: string; role: Role; onChoose: (role: Role) => void }) {
  return (
    <TextField select label={label} value={role} onChange={(event) => onChoose(event.target.value as Role)}>
      {Object.keys(ROLES).map((each) => (
        <MenuItem key={each} value={each}>
          {each}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** Somebody new: to this workshop, or to Coin Bell; then with a first password. */
function Add({
  busy,
  onType,
  onAdd,
}: {
  busy: boolean;
  onType: () => void;
  onAdd: (username: string, role: Role, password: string) => Promise<boolean>;
}) {
  const [form, setForm] = useState({ username: "", password: "", role: "builder" as Role });
  const type = (change: Partial<typeof form>) => {
    setForm({ ...form, ...change });
    onType();
  };
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    if (await onAdd(form.username.trim(), form.role, form.password)) setForm({ ...form, username: "", password: "" });
  };
  return (
    <Panel title="Add somebody">
      <Box component="form" onSubmit={submit} sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <TextField
          label="Name"
          required
          value={form.username}
          slotProps={{ htmlInput: { maxLength: 150, autoComplete: "off" } }}
          onChange={(event) => type({ username: event.target.value })}
        />
        <RoleField label="Role" role={form.role} onChoose={(role) => type({ role })} />
        <TextField
          label="First password, if new here"
          type="password"
          value={form.password}
          slotProps={{ htmlInput: { autoComplete: "new-password" } }}
          onChange={(event) => type({ password: event.target.value })}
          sx={{ width: 220 }}
        />
        <Button type="submit" variant="contained" disabled={busy || !form.username.trim()}>
          Add
        </Button>
      </Box>
    </Panel>
  );
}

function Rename({
  name,
  busy,
  onType,
  onRename,
}: {
  name: string;
  busy: boolean;
  onType: () => void;
  onRename: (to: string) => Promise<boolean>;
}) {
  const [typed, setTyped] = useState(name);
  return (
    <Panel title="Settings">
      <Box
        component="form"
        onSubmit={(event: FormEvent) => {
          event.preventDefault();
          void onRename(typed.trim());
        }}
        sx={{ display: "flex", gap: 1.5, alignItems: "center" }}
      >
        <TextField
          label="Name of the workshop"
          value={typed}
          slotProps={{ htmlInput: { maxLength: 100 } }}
          onChange={(event) => {
            setTyped(event.target.value);
            onType();
          }}
          sx={{ width: 320 }}
        />
        <Button type="submit" variant="outlined" disabled={busy || !typed.trim() || typed.trim() === name}>
          Rename
        </Button>
      </Box>
    </Panel>
  );
}
