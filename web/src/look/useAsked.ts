import { useCallback, useState } from "react";

/** Something asked of the server: whether it is on its way, and what went wrong, in words. */
export function useAsked() {
  const [state, setState] = useState({ busy: false, problem: "" });
  const ask = useCallback(async <T>(what: () => Promise<T>): Promise<T | undefined> => {
    setState({ busy: true, problem: "" });
    try {
      const answer = await what();
      setState({ busy: false, problem: "" });
      return answer;
    } catch (error) {
      setState({ busy: false, problem: error instanceof Error ? error.message : String(error) });
      return undefined;
    }
  }, []);
  /** What went wrong says nothing of what is typed now. */
  const forget = useCallback(() => setState((before) => (before.problem ? { ...before, problem: "" } : before)), []);
  return { ...state, ask, forget };
}
