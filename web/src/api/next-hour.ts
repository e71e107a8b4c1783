import { useQuery } from "@tanstack/react-query";
import { client, data } from "./client";

/** Which passes would settle most in the time that is left. */
export const useNextHour = (study: number, hours: number | null) =>
  useQuery({
    queryKey: ["next-hour", study, hours],
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/next-hour", {
          params: { path: { study_id: study }, query: hours === null ? {} : { hours } },
        }),
      ),
  });
