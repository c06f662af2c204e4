import { useEffect } from "react";
import { useTranslation } from "react-i18next";
import { Navigate, Route, Routes } from "react-router";

import { Workplace } from "./frame/Workplace";
import { Productions } from "./productions/Productions";
import { SignIn } from "./productions/SignIn";
import { useSession } from "./shared/api/queries";
import { bringEasternLetters } from "./shared/eastern";
import { Button, Empty } from "./shared/ui/controls";

export function App() {
  const { t } = useTranslation();
  const session = useSession();
  // The workplace names languages in their own letters.
  useEffect(() => bringEasternLetters(["zh", "ja", "ko"]), []);
  if (session.isPending) return <p className="p-8 text-soft" role="status">{t("common.loading")}</p>;
  if (session.error)
    return (
      <Empty title={t("common.unreachable")}>
        <Button look="main" onClick={() => void session.refetch()}>{t("common.again")}</Button>
      </Empty>
    );
  if (!session.data.username) return <SignIn demo={session.data.demo} />;
  return (
    <Routes>
      <Route path="/" element={<Productions username={session.data.username} />} />
      <Route path="/productions/:production" element={<Workplace />} />
      <Route path="/productions/:production/:language/:stage" element={<Workplace />} />
      <Route path="*" element={<Navigate to="/" replace />} />
    </Routes>
  );
}
