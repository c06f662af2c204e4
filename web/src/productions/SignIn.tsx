import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data } from "../shared/api/client";
import { Button, FIELD, Notice } from "../shared/ui/controls";

export function SignIn({ demo }: { demo: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const enter = useMutation({
    mutationFn: (work: () => Promise<unknown>) => work(),
    onSuccess: () => client.invalidateQueries(),
  });
  return (
    <main className="h-full grid place-items-center bg-quay text-quay-ink on-quay">
      <div className="w-88 flex flex-col gap-5">
        <div className="flex items-center gap-3">
          <img src="/mark.svg" alt="" width={44} height={44} className="rounded-md border border-quay-soft/30" />
          <div>
            <h1 className="text-xl font-semibold">Janoglot</h1>
            <p className="text-sm text-quay-soft">{t("signIn.what")}</p>
          </div>
        </div>
        {demo && (
          <Button
            look="main"
            className="h-11! text-base!"
            disabled={enter.isPending}
            onClick={() => enter.mutate(() => data(api.POST("/api/session/demo/")))}
          >
            {t("signIn.demo")}
          </Button>
        )}
        <form
          className="bg-paper text-ink rounded-lg p-5 flex flex-col gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            enter.mutate(() => data(api.POST("/api/session/", { body: { username, password } })));
          }}
        >
          <label className="text-sm font-semibold" htmlFor="username">{t("signIn.name")}</label>
          <input id="username" required autoComplete="username" className={FIELD} value={username} onChange={(event) => setUsername(event.target.value)} />
          <label className="text-sm font-semibold" htmlFor="password">{t("signIn.password")}</label>
          <input id="password" type="password" required autoComplete="current-password" className={FIELD} value={password} onChange={(event) => setPassword(event.target.value)} />
          {enter.error && <Notice tone="bad">{enter.error.message || t("common.unreachable")}</Notice>}
          <button type="submit" className="h-9 rounded-md border border-rule text-sm font-semibold hover:border-tide">{t("signIn.enter")}</button>
        </form>
      </div>
    </main>
  );
}
