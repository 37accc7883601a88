import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { useAsking } from '../../ui/asking';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { isThere, There } from './There';

type Person = Schemas['PersonDto'];

const knownDates = ['birthday', 'client since', 'yearly review', 'policy renewal', 'mortgage fixed until'];

/** A person's fields, edited in place. What was typed stays when saving is refused. */
export function EditPerson({ person: p, focus, close }: { person: Person; focus: string; close: () => void }) {
  const session = useSession().data;
  const queries = useQueryClient();
  const [edition, setEdition] = useState(p.edition);
  const start = {
    firstName: p.firstName ?? '',
    lastName: p.lastName ?? '',
    email: p.email ?? '',
    mobile: p.mobile ? `${p.mobile}${p.mobileExtension ? ` ext. ${p.mobileExtension}` : ''}` : '',
    otherPhone: p.otherPhone ? `${p.otherPhone}${p.otherPhoneExtension ? ` ext. ${p.otherPhoneExtension}` : ''}` : '',
    address: p.address ?? '',
    zone: p.zone ?? '',
    source: p.source ?? '',
  };
  const [fields, setFields] = useState(start);
  const [owner, setOwner] = useState(p.ownerId ?? '');
  const [dates, setDates] = useState<Record<string, string>>(Object.fromEntries(p.dates.map((d) => [d.name, d.date])));
  const [newDate, setNewDate] = useState('');
  const { asking, typed, mayLeave } = useAsking();

  const save = useMutation({
    mutationFn: (anyway: boolean) => {
      const changed = Object.fromEntries(Object.entries(fields).filter(([k, v]) => v !== start[k as keyof typeof start]));
      const before = Object.fromEntries(p.dates.map((d) => [d.name, d.date]));
      const changedDates = Object.fromEntries(Object.entries(dates).filter(([k, v]) => v !== (before[k] ?? '')));
      return take(
        api.PATCH('/api/people/{id}', {
          params: { path: { id: p.id } },
          body: {
            edition,
            anyway,
            fields: {
              ...changed,
              ownerId: owner || null,
              clearOwner: !owner,
              dates: Object.keys(changedDates).length > 0 ? changedDates : null,
            } as Schemas['PersonFields'],
          },
        }),
      );
    },
    onSuccess: (answer) => {
      queries.setQueryData(['person', p.id], answer);
      queries.invalidateQueries({ queryKey: ['thread', p.id] });
      queries.invalidateQueries({ queryKey: ['today'] });
      close();
    },
    onError: () => {
      // After a conflict the newer edition is taken up, so that saving again is possible once one has looked.
      queries
        .fetchQuery({
          queryKey: ['person', p.id],
          queryFn: () => take(api.GET('/api/people/{id}', { params: { path: { id: p.id } } })),
          staleTime: 0,
        })
        .then((now) => setEdition(now.edition));
    },
  });

  const inputs: [keyof typeof fields, string, string][] = [
    ['firstName', 'First name', 'first_name'],
    ['lastName', 'Last name', 'last_name'],
    ['email', 'Email', 'email'],
    ['mobile', 'Mobile', 'mobile'],
    ['otherPhone', 'Other number', 'other_phone'],
    ['source', 'Source', 'source'],
  ];
  return (
    <form
      className="border-t border-rule bg-picked px-7 py-4"
      aria-label={`Edit ${p.name}`}
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(false);
      }}
      onInput={typed}
      onKeyDown={(e) => e.key === 'Escape' && mayLeave(true) && close()}
    >
      <div className="grid grid-cols-2 gap-x-6 max-[699px]:grid-cols-1">
        {inputs.map(([key, label, word], i) => (
          <Field key={key} label={label} error={fieldError(save.error, key)}>
            {(id, by) => (
              <>
                <input
                  id={id}
                  aria-describedby={by}
                  autoFocus={focus ? focus === word : i === 0}
                  className="w-full"
                  value={fields[key]}
                  onChange={(e) => setFields({ ...fields, [key]: e.target.value })}
                />
                <There error={save.error} field={key} />
              </>
            )}
          </Field>
        ))}
        <Field label="Postal address" error={fieldError(save.error, 'address')}>
          {(id, by) => (
            <textarea
              id={id}
              aria-describedby={by}
              rows={2}
              className="w-full"
              value={fields.address}
              onChange={(e) => setFields({ ...fields, address: e.target.value })}
            />
          )}
        </Field>
        <div>
          <Field label="Owner" error={fieldError(save.error, 'ownerId')}>
            {(id, by) => (
              <select id={id} aria-describedby={by} className="w-full" value={owner} onChange={(e) => setOwner(e.target.value)}>
                <option value="">nobody</option>
                {session?.members.map((m) => (
                  <option key={m.id} value={m.id}>
                    {m.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
        </div>
        <Field label="Time zone" error={fieldError(save.error, 'zone')} hint="empty: the practice’s">
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className="w-full"
              placeholder="America/Denver"
              value={fields.zone}
              onChange={(e) => setFields({ ...fields, zone: e.target.value })}
            />
          )}
        </Field>
      </div>
      <fieldset className="border-0 p-0">
        <legend className="mb-1 text-small text-soft">Key dates, as 1975-06-14, or --06-14 where the year is not known</legend>
        <div className="grid grid-cols-3 gap-x-6 max-[699px]:grid-cols-1">
          {Object.entries(dates).map(([name, value]) => (
            <Field key={name} label={name} error={fieldError(save.error, `dates.${name}`)}>
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  autoFocus={focus === name}
                  className="w-full"
                  value={value}
                  onChange={(e) => setDates({ ...dates, [name]: e.target.value })}
                />
              )}
            </Field>
          ))}
          <Field label="Another date">
            {(id) => (
              <select
                id={id}
                className="w-full"
                value={newDate}
                onChange={(e) => {
                  if (e.target.value) setDates({ ...dates, [e.target.value]: '' });
                  setNewDate('');
                }}
              >
                <option value="">choose</option>
                {knownDates
                  .filter((d) => !(d in dates))
                  .map((d) => (
                    <option key={d}>{d}</option>
                  ))}
              </select>
            )}
          </Field>
        </div>
      </fieldset>
      <Trouble error={save.error} />
      {asking && (
        <p role="alert" className="text-small">
          What you have written is not saved yet. Escape once more throws it away.
        </p>
      )}
      <div className="flex gap-4">
        <Button type="submit" look="main" disabled={save.isPending}>
          Save
        </Button>
        <Button look="plain" onClick={close}>
          leave it as it was
        </Button>
        {isThere(save.error) && (
          <Button disabled={save.isPending} onClick={() => save.mutate(true)}>
            That is right: save it all the same
          </Button>
        )}
      </div>
    </form>
  );
}
