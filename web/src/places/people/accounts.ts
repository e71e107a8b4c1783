import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, data, keepToken, type Schemas } from "../../api/client";

export type People = Schemas["PeopleOut"];
export type Session = Schemas["Session"];

/** One's own account. */
export const useMe = () => useQuery({ queryKey: ["me"], queryFn: async () => data(client.GET("/api/me")) });

/** A change that answers with the whole of something, which takes the place of what was there. */
export function useReplaced<In, Out>(key: string, change: (given: In) => Promise<Out>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: (found) => queries.setQueryData([key], found),
  });
}

/** Take a session over as the one of this page: who is in, and the token that writing needs. */
export function useLetIn() {
  const queries = useQueryClient();
  return (session: Session) => {
    keepToken(session.csrf_token);
    queries.setQueryData(["session"], session);
    // Who is in is told more of the house.
    void queries.invalidateQueries({ queryKey: ["house"] });
  };
}

/** The address at which a link is used; its token is no part of what a server or a proxy notes. */
export const linkOf = (token: string) => `${window.location.origin}/welcome#${token}`;
