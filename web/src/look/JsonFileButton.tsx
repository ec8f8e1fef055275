import Button from "@mui/material/Button";
import { type ChangeEvent, type ReactNode, useRef } from "react";

/** A button that reads a JSON file. `name`: what the file is, for screen readers; whatever goes wrong on the way comes out in words. */
export function JsonFileButton({
  name,
  onData,
  onProblem,
  children,
}: {
  name: string;
  onData: (data: never) => Promise<void>;
  onProblem: (text: string) => void;
  children: ReactNode;
}) {
  const file = useRef<HTMLInputElement>(null);
  const read = async (event: ChangeEvent<HTMLInputElement>) => {
    const chosen = event.target.files?.[0];
    event.target.value = "";
    if (!chosen) return;
    try {
      await onData(JSON.parse(await chosen.text()) as never);
    } catch (error) {
      if (error instanceof SyntaxError) onProblem(`${chosen.name} is no JSON: ${error.message}`);
      else onProblem(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <>
      <input ref={file} type="file" accept=".json,application/json" aria-label={name} onChange={read} style={{ display: "none" }} />
      <Button variant="outlined" onClick={() => file.current?.click()}>
        {children}
      </Button>
    </>
  );
}
