import { Popover } from 'radix-ui';
import { type ComponentProps, type HTMLAttributes, type ReactNode, type Ref, useState } from 'react';
import { Button } from '../../ui/bits';
import { Float } from '../../ui/Float';
import { OneOf } from '../../ui/OneOf';
import { phrase } from '../../words/phrase';

/** A button that breaks across lines like the words around it, which a button element cannot. */
export function Words({ ref, ...rest }: HTMLAttributes<HTMLSpanElement> & { ref?: Ref<HTMLSpanElement> }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: a button element would not break across lines
    <span
      ref={ref}
      role="button"
      tabIndex={0}
      onKeyDown={(e) => {
        if (e.key === 'Enter' || e.key === ' ') {
          e.preventDefault();
          e.currentTarget.click();
        }
      }}
      {...rest}
    />
  );
}

/** Words of a sentence that are a control: press, or Tab into them, and change them in place. */
export function Say({
  words,
  label,
  children,
  soft = false,
  asks = false,
  live = false,
}: {
  words: ReactNode;
  label: string;
  children: (close: () => void) => ReactNode;
  soft?: boolean;
  /** Opens by itself when it first appears: for what cannot do without an answer. */
  asks?: boolean;
  /** What is written in it is used at once. */
  live?: boolean;
}) {
  const [open, setOpen] = useState(asks);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Words
          className={soft ? 'cursor-pointer text-soft hover:text-ink' : 'say'}
          aria-label={typeof words === 'string' && !label.includes(words) ? `${label}: ${words}` : label}
        >
          {words}
        </Words>
      </Popover.Trigger>
      <Popover.Portal>
        <Float
          open={open}
          close={() => setOpen(false)}
          live={live}
          className="max-h-(--radix-popover-content-available-height) w-80 overflow-y-auto p-4 font-sans text-base"
          align="start"
          sideOffset={6}
          aria-label={label}
        >
          {children(() => setOpen(false))}
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Words of a sentence that are one of a few things: press, and choose another. */
export function SayOneOf<T>({
  words,
  label,
  soft,
  choose,
  ...few
}: ComponentProps<typeof OneOf<T>> & Pick<ComponentProps<typeof Say>, 'words' | 'label' | 'soft'>) {
  return (
    <Say words={words} label={label} soft={soft}>
      {(close) => (
        <OneOf<T>
          {...few}
          choose={(value) => {
            choose(value);
            close();
          }}
        />
      )}
    </Say>
  );
}

/**
 * A list of parts joined by a word, each removable, with one more to add. `none` stands for an empty list and `more` after
 * the last part; both read on as part of the sentence, and add a part.
 */
export function SayList<T>({
  items,
  say,
  word,
  label,
  set,
  form,
  least = 0,
  none,
  more,
}: {
  items: T[];
  say: (item: T) => string;
  word: string;
  label: string;
  set: (items: T[]) => void;
  form: (item: T | undefined, done: (item: T) => void) => ReactNode;
  least?: number;
  none: string;
  more: string;
}) {
  return (
    <>
      {items.map((item, i) => (
        <span key={i}>
          {i > 0 && ` ${word} `}
          <Say words={say(item)} label={`${label}: ${say(item)}`}>
            {(close) => (
              <>
                {form(item, (changed) => {
                  set(items.map((x, j) => (j === i ? changed : x)));
                  close();
                })}
                {items.length > least && (
                  <Button
                    look="danger"
                    className="mt-3"
                    onClick={() => {
                      set(items.filter((_, j) => j !== i));
                      close();
                    }}
                  >
                    {phrase('Take it out')}
                  </Button>
                )}
              </>
            )}
          </Say>
        </span>
      ))}
      {items.length > 0 && ' '}
      <Say words={items.length === 0 ? none : more} label={phrase('{label}: one more', { label })} soft>
        {(close) =>
          form(undefined, (added) => {
            set([...items, added]);
            close();
          })
        }
      </Say>
    </>
  );
}
