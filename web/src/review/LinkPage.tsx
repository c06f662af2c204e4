import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import type { Fault } from "../shared/api/fault";
import { bringEasternLetters } from "../shared/eastern";
import { Button, FIELD } from "../shared/ui/button";
import { ask, linkAt, type OpenedLink } from "./link";
import { ListenPage } from "./ListenPage";
import { ReviewPage } from "./ReviewPage";
import { english, reviewWords, saying, type Say } from "./words";

const RIGHT_TO_LEFT = new Set(["ar", "he", "fa", "ur"]);

/** The page of a link: whoever has it needs no account, and sees nothing else. */
export function LinkPage({ token }: { token: string }) {
  const at = linkAt(token);
  const client = useQueryClient();
  const opened = useQuery({
    queryKey: ["link", token],
    retry: false,
    queryFn: async () => {
      const found = await ask<OpenedLink>(at.about);
      // Its first edition is asked for while the words of the page are on their way.
      const first = found.editions[0]?.language;
      if (first) void client.prefetchQuery({ queryKey: ["link", token, first], queryFn: () => ask(at.edition(first)) });
      return found;
    },
  });
  const interface_ = opened.data?.interface ?? navigator.language.split("-")[0] ?? "en";
  const [say, setSay] = useState<Say>(() => saying(english));
  const [ready, setReady] = useState(false);
  useEffect(() => {
    let here = true;
    if (opened.isPending) return;
    void reviewWords(interface_).then((words) => {
      if (!here) return;
      setSay(() => saying(words));
      setReady(true);
    });
    return () => { here = false; };
  }, [interface_, opened.isPending]);
  useEffect(() => {
    const page = document.documentElement;
    const before = { lang: page.lang, dir: page.dir };
    page.lang = interface_;
    page.dir = RIGHT_TO_LEFT.has(interface_) ? "rtl" : "ltr";
    return () => { page.lang = before.lang; page.dir = before.dir; };
  }, [interface_]);
  useEffect(() => bringEasternLetters([interface_, ...(opened.data?.editions.map((one) => one.language ?? "") ?? [])]), [interface_, opened.data?.editions]);
  useEffect(() => {
    document.title = opened.data?.production ? `${opened.data.production} · Janoglot` : "Janoglot";
  }, [opened.data?.production]);
  // In letters that are there already: ours would be fetched just now, in the way of what is waited for.
  if (!ready) return <p className="p-8 text-soft [font-family:system-ui,sans-serif]" role="status">{say("loading")}</p>;
  if (opened.error) {
    const lost = (opened.error as Fault).status === 404;
    return (
      <main className="max-w-lg mx-auto p-8 flex flex-col gap-4 items-start">
        <p className="text-lg">{lost ? say("gone") : (opened.error.message || say("unreachable"))}</p>
        {!lost && <Button onClick={() => void opened.refetch()}>{say("again")}</Button>}
      </main>
    );
  }
  if (!opened.data) return null;
  if (opened.data.locked) return <Locked token={token} say={say} />;
  return opened.data.purpose === "review" ? <ReviewPage token={token} link={opened.data} say={say} /> : <ListenPage token={token} link={opened.data} say={say} />;
}

function Locked({ token, say }: { token: string; say: Say }) {
  const client = useQueryClient();
  const [text, setText] = useState("");
  const [fault, setFault] = useState("");
  const [opening, setOpening] = useState(false);
  const open = async () => {
    setOpening(true);
    setFault("");
    try {
      await ask(linkAt(token).about, "POST", { passphrase: text });
      await client.invalidateQueries({ queryKey: ["link", token] });
    } catch (error) {
      const status = (error as Fault).status;
      setFault(status === 403 ? say("wrong") : (error as Fault).message || say("unreachable"));
    } finally {
      setOpening(false);
    }
  };
  return (
    <main className="max-w-sm mx-auto p-8">
      <h1 className="text-xl font-semibold mb-4">{say("locked")}</h1>
      <form className="flex flex-col gap-3" onSubmit={(event) => { event.preventDefault(); void open(); }}>
        <label className="text-sm"><span className="block mb-1">{say("passphrase")}</span><input className={FIELD} type="password" autoFocus dir="auto" value={text} onChange={(event) => setText(event.target.value)} /></label>
        {fault && <p role="alert" className="text-sm text-alarm">{fault}</p>}
        <Button look="main" type="submit" className="h-11! text-base!" disabled={!text || opening}>{say("unlock")}</Button>
      </form>
    </main>
  );
}
