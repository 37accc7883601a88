import { useCallback, useRef, useState } from 'react';

const prefix = 'germinal.kept.';

/** What was kept under a name on this machine; undefined for nothing, or for what cannot be read. */
export function keptUnder<T>(name: string): T | undefined {
  try {
    const words = localStorage.getItem(prefix + name);
    return words === null ? undefined : (JSON.parse(words) as T);
  } catch {
    return undefined;
  }
}

/** Keeps a value on this machine; undefined takes it away. A browser that keeps nothing loses only the safety. */
export function keep(name: string, value: unknown) {
  try {
    if (value === undefined) localStorage.removeItem(prefix + name);
    else localStorage.setItem(prefix + name, JSON.stringify(value));
  } catch {
    // Full, or not allowed.
  }
}

/** Takes away everything that is kept: whoever signs out leaves nothing on the machine. */
export function forgetAll() {
  try {
    for (const key of Object.keys(localStorage)) if (key.startsWith(prefix)) localStorage.removeItem(key);
  } catch {
    // Nothing was kept.
  }
}

/**
 * State that outlives a reload and a lost connection: kept on this machine until `done` is called.
 * @param name under which it is kept; another name, another state
 * @param blank what it is where nothing is kept
 */
export function useKept<T>(name: string, blank: T) {
  const [value, setValue] = useState<T>(() => keptUnder<T>(name) ?? blank);
  const latest = useRef(value);
  latest.current = value;
  const set = useCallback(
    (next: T | ((before: T) => T)) => {
      latest.current = typeof next === 'function' ? (next as (before: T) => T)(latest.current) : next;
      setValue(latest.current);
      keep(name, latest.current);
    },
    [name],
  );
  const done = useCallback(() => {
    setValue(blank);
    keep(name, undefined);
  }, [name]);
  return [value, set, done] as const;
}

/**
 * An edit of what the server has, kept on this machine until it is saved. Only what differs is kept, so that what others change
 * meanwhile stays theirs.
 * @param name under which it is kept
 * @param start what the server has
 * @param secret keys that are never kept on a machine
 */
export function useKeptEdit<T extends object>(name: string, start: T, secret: readonly (keyof T)[] = []) {
  const [changes, setChanges] = useState<Partial<T>>(() => keptUnder<Partial<T>>(name) ?? {});
  const [found, setFound] = useState(Object.keys(changes).length > 0);
  const latest = useRef(changes);
  const write = (next: Partial<T>) => {
    latest.current = next;
    setChanges(next);
    const kept = Object.entries(next).filter(([key]) => !secret.includes(key as keyof T));
    keep(name, kept.length > 0 ? Object.fromEntries(kept) : undefined);
  };
  return {
    /** What is written now: what the server has with the changes on top. */
    value: { ...start, ...changes } as T,
    changes,
    /** True where the changes were written before a reload and have not been thrown away. */
    found,
    set: (part: Partial<T>) =>
      write(
        Object.fromEntries(
          Object.entries({ ...latest.current, ...part }).filter(([key, v]) => JSON.stringify(v) !== JSON.stringify(start[key as keyof T])),
        ) as Partial<T>,
      ),
    /** Nothing is changed any more: it was saved, or thrown away. */
    done: () => {
      setFound(false);
      write({});
    },
  };
}
