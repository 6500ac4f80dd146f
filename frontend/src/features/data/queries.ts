import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type ReadingToken = Schemas["ReadingTokenOut"];

/** Tokens that read only. */
export function useReadingTokens(enabled: boolean) {
  return useQuery({
    queryKey: ["reading-tokens"],
    enabled,
    queryFn: async () => unwrap(await api.GET("/api/tokens")).tokens,
  });
}

/** A new token that reads only; the answer holds it this once. */
export function useMakeToken() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (name: string) => unwrap(await api.POST("/api/tokens", { body: { name } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["reading-tokens"] }),
  });
}

/** Takes a token back. */
export function useRevokeToken() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (number: number) =>
      unwrap(await api.POST("/api/tokens/{number}/revoke", { params: { path: { number } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["reading-tokens"] }),
  });
}

/** Reads a package into a database without a farm; everything shown is read again. */
export function useReadPackage() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (file: File) => {
      const body = new FormData();
      body.append("file", file);
      return unwrap(
        await api.POST("/api/farm.zip", {
          body: body as unknown as { file: string },
          bodySerializer: (form) => form as unknown as FormData,
        }),
      );
    },
    onSuccess: () => client.invalidateQueries(),
  });
}
