// The routes that use a surveyed project, and what the survey means for them.
import { useQuery } from "@tanstack/react-query";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";

export function useUses(system: string, container: string, surveyedAt: string) {
  return useQuery({
    queryKey: keys.uses(system, container, surveyedAt),
    queryFn: () =>
      take(api.GET("/systems/{id}/containers/{container}/routes", { params: { path: { id: system, container } } })),
  });
}
