import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Button } from "./Button";
import { Dialog } from "./Dialog";
import { Field } from "./Field";
import { NothingMatches } from "./Filter";
import { GLOSSARY } from "./glossary";

export interface Key {
  key: string;
  does: string;
}

interface Register {
  add: (place: string, keys: Key[]) => () => void;
  show: () => void;
}

const Context = createContext<Register>({ add: () => () => undefined, show: () => undefined });

/** Keeps the keys of the places on screen; `?` shows them. */
export function KeysProvider({ children }: { children: ReactNode }) {
  const [places, setPlaces] = useState<Map<string, Key[]>>(new Map());
  const [open, setOpen] = useState(false);
  const [asked, setAsked] = useState("");
  useHotkeys("shift+?, ?", () => setOpen((now) => !now), {
    useKey: true,
    // Else the sign lands in the field that the dialog begins with.
    preventDefault: true,
  });
  const add = useCallback((place: string, keys: Key[]) => {
    setPlaces((now) => new Map(now).set(place, keys));
    return () =>
      setPlaces((now) => {
        const rest = new Map(now);
        rest.delete(place);
        return rest;
      });
  }, []);
  const register = useMemo(() => ({ add, show: () => setOpen(true) }), [add]);
  const words = Object.entries(GLOSSARY).filter(([word, says]) =>
    `${word} ${says}`.toLowerCase().includes(asked.trim().toLowerCase()),
  );
  return (
    <Context.Provider value={register}>
      {children}
      <Dialog open={open} onOpenChange={setOpen} title="Keys and words" wide>
        <div className="grid gap-8 md:grid-cols-[19rem_1fr]">
          <div>
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
          </div>
          <section>
            <h3 className="label mb-1">Words</h3>
            <Field
              label="Find a word"
              quietLabel
              placeholder="Find a word"
              value={asked}
              onChange={(e) => setAsked(e.target.value)}
            />
            <dl className="mt-3 grid max-h-[50vh] gap-2 overflow-auto pr-2">
              {words.map(([word, says]) => (
                <div key={word}>
                  <dt className="font-semibold">{word}</dt>
                  <dd className="text-soft">{says}</dd>
                </div>
              ))}
              {words.length === 0 && <NothingMatches text={asked} what="word" />}
            </dl>
          </section>
        </div>
      </Dialog>
    </Context.Provider>
  );
}

/** Says that `?` is there, for those who do not know it yet. */
/** Shows all keys. */
export const useShowKeys = () => useContext(Context).show;

export function HelpButton() {
  const show = useShowKeys();
  return (
    <Button kind="quiet" shortcut="?" onClick={show}>
      Keys and words
    </Button>
  );
}

/** Name the keys of a place while it is on screen. `keys` must keep its identity. */
export function useKeysOf(place: string, keys: Key[]): void {
  const { add } = useContext(Context);
  useEffect(() => add(place, keys), [add, place, keys]);
}
