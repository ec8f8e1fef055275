import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { createContext, useContext } from "react";
import { colours } from "../look/colours";
import { labelOf } from "./labels";

/** As much of JSON Schema as the core's part models use. */
export interface Schema {
  $ref?: string;
  $defs?: Record<string, Schema>;
  type?: string;
  const?: unknown;
  enum?: unknown[];
  anyOf?: Schema[];
  items?: Schema;
  properties?: Record<string, Schema>;
  required?: string[];
  default?: unknown;
  description?: string;
}
export type Json = string | number | boolean | null | Json[] | { [key: string]: Json };
/** One fault that the check found: where, and what. */
export interface Fault {
  place: string;
  text: string;
}

const Around = createContext<{ defs: Record<string, Schema>; problems: Fault[] }>({ defs: {}, problems: [] });
const HIDDEN = ["kind", "loop_hz"];

/** A form for any part, made from its schema; what the check says stands beside the field that it is about. */
export function SchemaForm({
  schema,
  value,
  problems,
  onChange,
}: {
  schema: Schema;
  value: Json;
  problems: Fault[];
  onChange: (value: Json) => void;
}) {
  return (
    <Around.Provider value={{ defs: schema.$defs ?? {}, problems }}>
      <Field name="" path="" schema={schema} value={value} onChange={onChange} />
    </Around.Provider>
  );
}

interface FieldProps {
  name: string;
  path: string;
  schema: Schema;
  value: Json | undefined;
  onChange: (value: Json) => void;
}

function useResolved(schema: Schema): { schema: Schema; nullable: boolean } {
  const { defs } = useContext(Around);
  return resolve(schema, defs);
}

function resolve(schema: Schema, defs: Record<string, Schema>): { schema: Schema; nullable: boolean } {
  if (schema.$ref) return resolve(defs[schema.$ref.split("/").pop() ?? ""] ?? {}, defs);
  if (schema.anyOf) {
    const rest = schema.anyOf.filter((each) => each.type !== "null");
    const inner = resolve(rest[0] ?? {}, defs);
    return { schema: inner.schema, nullable: rest.length < schema.anyOf.length };
  }
  return { schema, nullable: false };
}

/** The plainest value that a schema allows, to begin with. */
function blank(schema: Schema, defs: Record<string, Schema>): Json {
  if (schema.default !== undefined) return schema.default as Json;
  const { schema: inner, nullable } = resolve(schema, defs);
  if (nullable) return null;
  if (inner.const !== undefined) return inner.const as Json;
  if (inner.enum) return inner.enum[0] as Json;
  if (inner.type === "array") return [];
  if (inner.type === "boolean") return false;
  if (inner.type === "number" || inner.type === "integer") return 0;
  if (inner.type === "object")
    return Object.fromEntries(Object.entries(inner.properties ?? {}).map(([name, each]) => [name, blank(each, defs)]));
  return "";
}

function Field({ name, path, schema: raw, value, onChange }: FieldProps) {
  const { defs, problems } = useContext(Around);
  const { schema, nullable } = useResolved(raw);
  const label = labelOf(name);
  const said = problems.filter((each) => each.place === path).map((each) => each.text);
  if (schema.type === "object") {
    if (nullable && value === null)
      return (
        <Box sx={{ fontSize: 13.5 }}>
          {label}: none{" "}
          <Button variant="outlined" sx={{ py: 0 }} onClick={() => onChange(blank({ ...schema }, defs))}>
            Add {label}
          </Button>
        </Box>
      );
    const object = (value ?? {}) as { [key: string]: Json };
    return (
      <Box role="group" aria-label={label || "part"} sx={name ? { border: 1, borderColor: "divider", borderRadius: 1, p: 1.25 } : {}}>
        {name && (
          <Box sx={{ display: "flex", mb: 1, fontSize: 13, fontWeight: 600 }}>
            {label}
            {nullable && (
              <Button variant="text" sx={{ ml: "auto", py: 0, color: colours.softInk }} onClick={() => onChange(null)}>
                none
              </Button>
            )}
          </Box>
        )}
        <Said texts={said} />
        <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1.25, alignItems: "flex-start" }}>
          {Object.entries(schema.properties ?? {})
            .filter(([key]) => !HIDDEN.includes(key))
            .map(([key, each]) => (
              <Field
                key={key}
                name={key}
                path={path ? `${path}/${key}` : key}
                schema={each}
                value={object[key] ?? (each.default as Json | undefined)}
                onChange={(next) => onChange({ ...object, [key]: next })}
              />
            ))}
        </Box>
      </Box>
    );
  }
  if (schema.type === "array") return <ListField {...{ name, path, schema, value, onChange, said }} />;
  if (schema.type === "boolean")
    return (
      <FormControlLabel control={<Checkbox size="small" checked={value === true} onChange={(_, to) => onChange(to)} />} label={label} />
    );
  const choices = schema.enum as string[] | undefined;
  const numeric = schema.type === "number" || schema.type === "integer";
  const take = (text: string) => {
    if (text === "" && nullable) onChange(null);
    else if (numeric) onChange(text.trim() !== "" && Number.isFinite(Number(text)) ? Number(text) : text);
    else onChange(choices?.find((each) => String(each) === text) ?? text);
  };
  return (
    <TextField
      select={!!choices}
      label={label}
      value={value === null || value === undefined ? "" : String(value)}
      error={said.length > 0}
      helperText={said.join("; ") || undefined}
      onChange={(event) => take(event.target.value)}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: numeric ? "decimal" : undefined } }}
      sx={{ width: Math.max(name === "about" ? 420 : numeric ? 120 : 160, 36 + 6.4 * label.length), maxWidth: "100%" }}
    >
      {choices && [
        ...(nullable
          ? [
              <MenuItem key="" value="">
                none
              </MenuItem>,
            ]
          : []),
        ...choices.map((each) => (
          <MenuItem key={String(each)} value={String(each)}>
            {String(each)}
          </MenuItem>
        )),
      ]}
    </TextField>
  );
}

function ListField({ name, path, schema, value, onChange, said }: FieldProps & { said: string[] }) {
  const { defs, problems } = useContext(Around);
  const items = resolve(schema.items ?? {}, defs).schema;
  const list = (Array.isArray(value) ? value : []) as Json[];
  const label = labelOf(name);
  if (items.enum)
    return (
      <Box role="group" aria-label={label} sx={{ width: "100%", fontSize: 13 }}>
        {label}:{" "}
        {(items.enum as string[]).map((each) => (
          <FormControlLabel
            key={each}
            control={
              <Checkbox
                size="small"
                sx={{ py: 0 }}
                checked={list.includes(each)}
                onChange={(_, to) => onChange(to ? [...list, each] : list.filter((one) => one !== each))}
              />
            }
            label={<span style={{ fontSize: 13 }}>{each}</span>}
          />
        ))}
        <Said texts={said} />
      </Box>
    );
  if (items.type !== "object")
    return (
      <TextField
        label={`${label}, with commas between`}
        value={list.join(", ")}
        error={said.length > 0}
        helperText={said.join("; ") || undefined}
        onChange={(event) =>
          onChange(
            event.target.value
              .split(",")
              .map((each) => each.trim())
              .filter((each, index, all) => each !== "" || index === all.length - 1)
              .filter((each) => each !== "" || event.target.value.endsWith(",")),
          )
        }
        slotProps={{ inputLabel: { shrink: true } }}
        sx={{ width: 340, maxWidth: "100%" }}
      />
    );
  const inside = problems.filter((each) => each.place.startsWith(`${path}/`)).length;
  return (
    <Box component="details" sx={{ width: "100%", border: 1, borderColor: "divider", borderRadius: 1, p: 1.25 }}>
      <summary style={{ cursor: "pointer", fontSize: 13, fontWeight: 600 }}>
        {label}: {list.length}
        {inside > 0 && <span style={{ color: colours.oxide }}> ({inside} to mend)</span>}
      </summary>
      <Said texts={said} />
      <Box sx={{ display: "grid", gap: 1, mt: 1 }}>
        {list.map((each, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: entries have no name of their own until one is typed
          <Box key={index} sx={{ display: "flex", gap: 1, alignItems: "flex-start" }}>
            <Box sx={{ flex: 1 }}>
              <Field
                name={`${label} ${index + 1}`}
                path={`${path}/${index}`}
                schema={schema.items ?? {}}
                value={each}
                onChange={(next) => onChange(list.map((one, at) => (at === index ? next : one)))}
              />
            </Box>
            <Button variant="text" sx={{ color: colours.softInk }} onClick={() => onChange(list.filter((_, at) => at !== index))}>
              remove
            </Button>
          </Box>
        ))}
        <Box>
          <Button variant="outlined" onClick={() => onChange([...list, blank(schema.items ?? {}, defs)])}>
            Add to {label}
          </Button>
        </Box>
      </Box>
    </Box>
  );
}

function Said({ texts }: { texts: string[] }) {
  return texts.length ? <Box sx={{ color: colours.oxide, fontSize: 12.5, mb: 0.5 }}>{texts.join("; ")}</Box> : null;
}
