import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type Invitation = Schemas["Invitation"];
export type Change = Schemas["ChangeOut"];
type Role = Schemas["PersonOut"]["role"];

export function usePeople() {
  return useQuery({ queryKey: ["people"], queryFn: async () => unwrap(await api.GET("/api/people")) });
}

export function useInvite() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: { sign_in: string; name: string; role: Role }) =>
      unwrap(await api.POST("/api/people", { body })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useInviteAgain() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (id: number) =>
      unwrap(await api.POST("/api/people/{id}/invitation", { params: { path: { id } } })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useChangePerson() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, ...body }: { id: number; role?: Role; left?: boolean }) =>
      unwrap(await api.PATCH("/api/people/{id}", { params: { path: { id } }, body })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useChanges(about: string, who: string) {
  return useInfiniteQuery({
    queryKey: ["changes", about, who],
    initialPageParam: undefined as number | undefined,
    queryFn: async ({ pageParam }) =>
      unwrap(
        await api.GET("/api/changes", {
          params: { query: { about, who, ...(pageParam === undefined ? {} : { before: pageParam }) } },
        }),
      ),
    getNextPageParam: (last) => (last.more ? last.changes.at(-1)?.id : undefined),
  });
}
