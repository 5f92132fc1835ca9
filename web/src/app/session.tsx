// Who is signed in. Everything else is shown only to somebody who is.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, type ReactNode } from "react";
import { api, setCsrf, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Loading, Trouble } from "@/ui/basics";

const SignIn = lazy(() => import("@/features/sign-in/sign-in"));

export function useSession() {
  return useQuery({ queryKey: keys.session, queryFn: () => take(api.GET("/session")), staleTime: 60_000 });
}

export function useSignOut() {
  const queries = useQueryClient();
  return async () => {
    await take(api.DELETE("/session"));
    setCsrf("");
    queries.clear();
    await queries.invalidateQueries({ queryKey: keys.session });
  };
}

export function SessionGate({ children }: { children: ReactNode }) {
  const session = useSession();
  const token = session.data?.csrf;
  if (token) setCsrf(token);
  if (session.isPending) return <Loading what="the session" />;
  if (session.error)
    return (
      <div className="p-8">
        <Trouble error={session.error} retry={() => void session.refetch()} />
      </div>
    );
  if (!session.data)
    return (
      <Suspense fallback={<Loading what="the page" />}>
        <SignIn />
      </Suspense>
    );
  return children;
}
