import { useMutation, useQuery } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useId, useState } from 'react';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field, fieldError } from '../../ui/bits';
import { Float } from '../../ui/Float';
import { phrase } from '../../words/phrase';
import { type Effects, sayEffects } from './letterLink';

/** Where words of a letter lead, and what following them sets off. */
/**
 * @param picked whether words are picked, or the cursor stands in a link; where not, the link brings its words along
 * @param set puts the link on; an empty address takes it off, words are given where none were picked
 */
export function LinkTool({
  href,
  effects,
  picked,
  set,
}: {
  href?: string;
  effects: Effects;
  picked: boolean;
  set: (href: string, effects: Effects, words?: string) => void;
}) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  const [words, setWords] = useState('');
  const [asksWords, setAsksWords] = useState(false);
  const [draft, setDraft] = useState<Effects>({});
  const [more, setMore] = useState(false);
  const known = useId();
  const said = sayEffects(draft);
  // The server says where it leads: what is written without a scheme is completed, what leads nowhere comes back.
  const use = useMutation({
    mutationFn: async () =>
      text.trim() === '' || text === 'https://'
        ? ''
        : (await take(api.GET('/api/programs/link-address', { params: { query: { written: text } } }))).address,
    onSuccess: (address) => {
      set(address, draft, asksWords ? words.trim() || address : undefined);
      setOpen(false);
    },
  });
  return (
    <Popover.Root
      open={open}
      onOpenChange={(o) => {
        setText(href ?? 'https://');
        setWords('');
        setAsksWords(!picked);
        setDraft(effects);
        setMore(false);
        use.reset();
        setOpen(o);
      }}
    >
      <Popover.Trigger className={`min-h-6 px-1.5 text-small ${href ? 'font-semibold text-leaf' : 'text-soft hover:text-ink'}`}>
        {phrase('Link')}
      </Popover.Trigger>
      <Popover.Portal>
        <Float
          open={open}
          close={() => setOpen(false)}
          className="max-h-(--radix-popover-content-available-height) w-96 overflow-y-auto p-4"
          aria-label={phrase('Link')}
          // The letter has the cursor again, so that one writes on.
          onCloseAutoFocus={(e) => use.isSuccess && e.preventDefault()}
        >
          <form
            onSubmit={(e) => {
              e.preventDefault();
              // The popover is a child of the letter's page in the tree of components, and its form none of the page's.
              e.stopPropagation();
              use.mutate();
            }}
          >
            {asksWords && (
              <Field label={phrase('The words one presses')}>
                {(id) => <input id={id} required className="w-full" value={words} onChange={(e) => setWords(e.target.value)} />}
              </Field>
            )}
            <Field
              label={asksWords ? phrase('Where they lead') : phrase('Where the picked words lead')}
              hint={asksWords ? undefined : phrase('empty: no link')}
              error={fieldError(use.error, 'written')}
            >
              {(id, by) => (
                <>
                  <input
                    id={id}
                    aria-describedby={by}
                    list={known}
                    className="w-full"
                    value={text}
                    onChange={(e) => setText(e.target.value)}
                  />
                  <KnownAddresses id={known} />
                </>
              )}
            </Field>
            {said.length > 0 && !more && <p className="mb-2 text-small">{phrase('Following it {said}.', { said: said.join(', ') })}</p>}
            {!more && (
              <p className="mb-3">
                <Button look="plain" onClick={() => setMore(true)}>
                  {phrase('what following it sets off …')}
                </Button>
              </p>
            )}
            {more && <EffectFields effects={draft} change={(part) => setDraft({ ...draft, ...part })} />}
            <Button type="submit" look="main">
              {phrase('Use this')}
            </Button>
          </form>
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Addresses of the practice's own to lead to: its files, and the pages of its figures. */
function KnownAddresses({ id }: { id: string }) {
  const files = useQuery({ queryKey: ['files'], queryFn: () => take(api.GET('/api/files')) });
  const figures = useQuery({ queryKey: ['figures'], queryFn: () => take(api.GET('/api/figures')) });
  return (
    <datalist id={id}>
      {[...(files.data ?? []), ...(figures.data ?? [])].map((kept) => (
        <option key={kept.id} value={kept.address}>
          {kept.name}
        </option>
      ))}
    </datalist>
  );
}

function EffectFields({ effects, change }: { effects: Effects; change: (part: Effects) => void }) {
  const session = useSession().data;
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const tags = useId();
  const days = /^P(\d+)D$/.exec(effects['call-in'] ?? '')?.[1] ?? '';
  return (
    <fieldset className="m-0 border-0 p-0">
      <legend className="mb-1 text-small text-soft">{phrase('Once for each person, following it')}</legend>
      <Field label={phrase('puts on the tag')}>
        {(id) => (
          <>
            <input id={id} list={tags} className="w-full" value={effects.tag ?? ''} onChange={(e) => change({ tag: e.target.value })} />
            <datalist id={tags}>
              {session?.tags.map((t) => (
                <option key={t} value={t} />
              ))}
            </datalist>
          </>
        )}
      </Field>
      <Choice
        label={phrase('notes an interest in')}
        value={effects.topic}
        of={practice.data?.topics ?? []}
        change={(topic) => change({ topic })}
      />
      <Field label={phrase('asks for a call, with these words')}>
        {(id) => <input id={id} className="w-full" value={effects.call ?? ''} onChange={(e) => change({ call: e.target.value })} />}
      </Field>
      {effects.call && (
        <div className="flex gap-4">
          <Field label={phrase('by')}>
            {(id) => (
              <select id={id} value={effects['call-to'] ?? 'owner'} onChange={(e) => change({ 'call-to': e.target.value })}>
                <option value="owner">{phrase('the owner')}</option>
                <option value="deputy">{phrase('the deputy')}</option>
              </select>
            )}
          </Field>
          <Field label={phrase('within working days')}>
            {(id) => (
              <input
                id={id}
                type="number"
                min={0}
                max={60}
                className="w-20"
                value={days}
                onChange={(e) => change({ 'call-in': e.target.value ? `P${Number(e.target.value)}D` : '' })}
              />
            )}
          </Field>
        </div>
      )}
      <Choice
        label={phrase('opens an opportunity in')}
        value={effects.opportunity}
        of={session?.stages ?? []}
        change={(opportunity) => change({ opportunity })}
      />
      <Choice
        label={phrase('starts the program')}
        value={effects.program}
        of={programs.data?.map((p) => p.name) ?? []}
        change={(program) => change({ program })}
      />
      <Field label={phrase('What programs call this link')} hint={phrase('empty: its address')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            className="w-full"
            value={effects.name ?? ''}
            onChange={(e) => change({ name: e.target.value })}
          />
        )}
      </Field>
    </fieldset>
  );
}

/** One of a list, or nothing; what is chosen stays to be seen even where the list has lost it. */
function Choice({ label, value, of, change }: { label: string; value?: string; of: readonly string[]; change: (value: string) => void }) {
  return (
    <Field label={label}>
      {(id) => (
        <select id={id} className="w-full" value={value ?? ''} onChange={(e) => change(e.target.value)}>
          <option value="">{phrase('nothing')}</option>
          {[...new Set([...of, ...(value ? [value] : [])])].map((o) => (
            <option key={o} value={o}>
              {o.replace('/', ', ')}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}
