import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Dialog } from "./Dialog";

export interface Key {
  key: string;
  does: string;
}

interface Register {
  add: (place: string, keys: Key[]) => () => void;
}

const Context = createContext<Register>({ add: () => () => undefined });

/** Keeps the keys of the places on screen; `?` shows them. */
export function KeysProvider({ children }: { children: ReactNode }) {
  const [places, setPlaces] = useState<Map<string, Key[]>>(new Map());
  const [open, setOpen] = useState(false);
  useHotkeys("shift+?, ?", () => setOpen((now) => !now), { useKey: true });
  const add = useCallback((place: string, keys: Key[]) => {
    setPlaces((now) => new Map(now).set(place, keys));
    return () =>
      setPlaces((now) => {
        const rest = new Map(now);
        rest.delete(place);
        return rest;
      });
  }, []);
  const register = useMemo(() => ({ add }), [add]);
  return (
    <Context.Provider value={register}>
      {children}
      <Dialog open={open} onOpenChange={setOpen} title="Keys of this place">
        {[...places].map(([place, keys]) => (
          <section key={place} className="mb-4">
            <h3 className="label mb-1">{place}</h3>
            <dl className="grid grid-cols-[7rem_1fr] gap-y-1.5">
              {keys.map((one) => (
                <div key={one.key} className="contents">
                  <dt>
                    <kbd className="key text-[0.95rem]">{one.key}</kbd>
                  </dt>
                  <dd>{one.does}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </Dialog>
    </Context.Provider>
  );
}

/** Name the keys of a place while it is on screen. `keys` must keep its identity. */
export function useKeysOf(place: string, keys: Key[]): void {
  const { add } = useContext(Context);
  useEffect(() => add(place, keys), [add, place, keys]);
}
