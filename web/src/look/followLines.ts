/** Read a stream of JSON, a line a piece of news, until the news that ends it. Throws what the server refused, and where it broke off. */
export async function followLines<T>(
  url: string,
  signal: AbortSignal,
  isEnd: (news: T) => boolean,
  tell: (news: T) => void,
): Promise<void> {
  const answer = await fetch(url, { signal });
  if (!answer.ok || !answer.body) {
    const told = (await answer.json().catch(() => null)) as { detail?: string } | null;
    throw new Error(told?.detail ?? `the server answered ${answer.status}`);
  }
  const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader();
  let held = "";
  let ended = false;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    held += value;
    const lines = held.split("\n");
    held = lines.pop() ?? "";
    for (const each of lines) {
      if (!each) continue;
      const news = JSON.parse(each) as T;
      ended = ended || isEnd(news);
      tell(news);
    }
  }
  if (!ended) throw new Error("The reading broke off before its end. Open it again.");
}
