import { client, data } from "../../api/client";
import { useHouse } from "../../api/queries";
import { Button, buttonLook } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";
import { useReplaced } from "./accounts";

/** In a demo that was opened from one's own: says so, and leads back. */
export function BesideBar() {
  const { data: house } = useHouse();
  if (!house?.back) return null;
  return (
    <p className="bg-mark px-6 py-1.5 text-[0.93rem]">
      This is the demo: everything in it is made up, and nothing of it reaches your own.{" "}
      <a href={house.back} className="font-semibold">
        Back to your own
      </a>
    </p>
  );
}

/** Beside an empty desk: the demo, in a database of its own. */
export function LookAround() {
  const ask = useReplaced("house", async () => data(client.POST("/api/house/demo")));
  const house = useHouse(ask.isSuccess);
  const demo = house.data?.demo;
  if (!demo?.offered) return null;
  return (
    <div className="mt-4">
      <ErrorNotice error={ask.error} />
      {demo.address ? (
        <a className={buttonLook()} href={demo.address}>
          Go to the demo
        </a>
      ) : (
        <Button disabled={ask.isPending || ask.isSuccess} onClick={() => ask.mutate(undefined)}>
          {ask.isSuccess ? "The demo is being loaded: about a minute" : "Look around in a demo"}
        </Button>
      )}
      <p className="mt-1 text-[0.86rem] text-mute">
        Made-up studies in a database of its own, beside yours and never mixed with it.
      </p>
    </div>
  );
}
