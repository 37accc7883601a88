import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { useAsking } from '../../ui/asking';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { FoundAgain } from '../../ui/FoundAgain';
import { useKeptEdit } from '../../ui/kept';
import { OwnFieldInput } from '../../ui/OwnFieldInput';
import { ZoneField } from '../../ui/ZoneField';
import { phrase } from '../../words/phrase';
import { asThePractice, TongueField } from '../../words/TongueField';
import { ownDate, ownText } from '../rules/ruleLanguage';
import { isThere, There } from './There';

type Person = Schemas['PersonDto'];

/** Key dates stand among the fields under their names, and the practice's own fields under their keys, as rules name them. */
type DateKey = `${typeof ownDate}${string}`;
type OwnKey = `${typeof ownText}${string}`;

/** Under what name an edit of a person, or of one field of theirs, is kept until it is saved. */
export const keptEdit = (id: string, only?: string) => (only ? `person.${id}.${only}` : `person.${id}`);

/**
 * A person's fields, edited in place. What was typed stays when saving is refused.
 * @param focus the field to begin at, as a letter or a finding names it
 * @param only the one field that is asked for, by its key here; all of them where it is not given
 */
export function EditPerson({ person: p, focus = '', only, leave }: { person: Person; focus?: string; only?: string; leave: () => void }) {
  const session = useSession().data;
  const queries = useQueryClient();
  const [edition, setEdition] = useState(p.edition);
  const start = {
    firstName: p.firstName ?? '',
    lastName: p.lastName ?? '',
    email: p.email ?? '',
    mobile: p.mobile
      ? `${p.mobile}${p.mobileExtension ? phrase(' ext. {mobileExtension}', { mobileExtension: p.mobileExtension }) : ''}`
      : '',
    otherPhone: p.otherPhone
      ? `${p.otherPhone}${p.otherPhoneExtension ? phrase(' ext. {otherPhoneExtension}', { otherPhoneExtension: p.otherPhoneExtension }) : ''}`
      : '',
    address: p.address ?? '',
    zone: p.zone ?? '',
    tongue: p.tongue ?? '',
    source: p.source ?? '',
    owner: p.ownerId ?? '',
    ...(Object.fromEntries(p.dates.map((d) => [ownDate + d.name, d.date])) as Record<DateKey, string>),
    ...(Object.fromEntries(p.own.map((f) => [ownText + f.key, f.value ?? ''])) as Record<OwnKey, string>),
  };
  const { value: fields, changes, found, set, done: forget } = useKeptEdit(keptEdit(p.id, only), start);
  const asked = (key: string) => only === undefined || only === key;
  const dates = Object.entries(fields).filter(([key]) => key.startsWith(ownDate) && asked(key));
  const own = p.own.filter((f) => asked(ownText + f.key));
  const close = () => {
    forget();
    leave();
  };
  const [newDate, setNewDate] = useState('');
  const { asking, typed, mayLeave } = useAsking(found);

  const save = useMutation({
    meta: { says: () => phrase('what was changed of {name}', { name: p.name }) },
    mutationFn: (anyway: boolean) => {
      const { owner, ...words } = changes;
      const under = (prefix: string) =>
        Object.fromEntries(
          Object.entries(words)
            .filter(([key]) => key.startsWith(prefix))
            .map(([key, value]) => [key.slice(prefix.length), value]),
        );
      const plain = Object.fromEntries(Object.entries(words).filter(([key]) => !key.startsWith(ownDate) && !key.startsWith(ownText)));
      const [changedDates, changedOwn] = [under(ownDate), under(ownText)];
      return take(
        api.PATCH('/api/people/{id}', {
          params: { path: { id: p.id } },
          body: {
            edition,
            anyway,
            fields: {
              ...plain,
              ownerId: owner || null,
              clearOwner: owner === '',
              dates: Object.keys(changedDates).length > 0 ? changedDates : null,
              custom: Object.keys(changedOwn).length > 0 ? changedOwn : null,
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

  const inputs: [Exclude<keyof typeof fields, DateKey | OwnKey>, string, string][] = [
    ['firstName', phrase('First name'), 'first_name'],
    ['lastName', phrase('Last name'), 'last_name'],
    ['email', 'Email', 'email'],
    ['mobile', 'Mobile', 'mobile'],
    ['otherPhone', phrase('Other number'), 'other_phone'],
    ['source', 'Source', 'source'],
  ];
  return (
    <form
      className={only ? '' : 'border-t border-rule bg-picked px-7 py-4'}
      aria-label={only ? phrase('Change {only}', { only: only.replace(/^(date|custom):/, '') }) : phrase('Edit {name}', { name: p.name })}
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(false);
      }}
      onInput={typed}
      onKeyDown={(e) => e.key === 'Escape' && mayLeave(true) && close()}
    >
      {found && (
        <FoundAgain className="mb-3" words={phrase('What you wrote here before and did not save stands here again.')} throwAway={forget} />
      )}
      <div className={only ? '' : 'grid grid-cols-2 gap-x-6 max-[699px]:grid-cols-1'}>
        {inputs
          .filter(([key]) => asked(key))
          .map(([key, label, word], i) => (
            <Field key={key} label={label} error={fieldError(save.error, key)}>
              {(id, by) => (
                <>
                  <input
                    id={id}
                    aria-describedby={by}
                    autoFocus={focus ? focus === word : i === 0}
                    className="w-full"
                    value={fields[key]}
                    onChange={(e) => set({ [key]: e.target.value })}
                  />
                  <There error={save.error} field={key} />
                </>
              )}
            </Field>
          ))}
        {asked('address') && (
          <Field label={phrase('Postal address')} error={fieldError(save.error, 'address')}>
            {(id, by) => (
              <textarea
                id={id}
                aria-describedby={by}
                autoFocus={only !== undefined}
                rows={2}
                className="w-full"
                value={fields.address}
                onChange={(e) => set({ address: e.target.value })}
              />
            )}
          </Field>
        )}
        {asked('owner') && (
          <div>
            <Field label={phrase('Owner')} error={fieldError(save.error, 'ownerId')}>
              {(id, by) => (
                <select
                  id={id}
                  aria-describedby={by}
                  autoFocus={only !== undefined}
                  className="w-full"
                  value={fields.owner}
                  onChange={(e) => set({ owner: e.target.value })}
                >
                  <option value="">{phrase('nobody')}</option>
                  {session?.members.map((m) => (
                    <option key={m.id} value={m.id}>
                      {m.name}
                    </option>
                  ))}
                </select>
              )}
            </Field>
          </div>
        )}
        {asked('tongue') && (
          <TongueField
            label={phrase('The language they are written to in')}
            none={asThePractice()}
            value={fields.tongue}
            set={(tongue) => set({ tongue })}
            error={fieldError(save.error, 'tongue')}
          />
        )}
        {asked('zone') && (
          <ZoneField
            label={phrase('The clock they live by')}
            none={phrase('the practice’s')}
            value={fields.zone}
            set={(zone) => set({ zone })}
            error={fieldError(save.error, 'zone')}
          />
        )}
      </div>
      {(only === undefined || dates.length > 0) && (
        <fieldset className="border-0 p-0">
          <legend className="mb-1 text-small text-soft">
            {phrase('Key dates, as 1975-06-14, or --06-14 where the year is not known')}
          </legend>
          <div className={only ? '' : 'grid grid-cols-3 gap-x-6 max-[699px]:grid-cols-1'}>
            {dates.map(([key, value]) => {
              const name = key.slice(ownDate.length);
              return (
                <Field key={key} label={name} error={fieldError(save.error, `dates.${name}`)}>
                  {(id, by) => (
                    <input
                      id={id}
                      aria-describedby={by}
                      autoFocus={focus === name || only !== undefined}
                      className="w-full"
                      value={value}
                      onChange={(e) => set({ [key]: e.target.value })}
                    />
                  )}
                </Field>
              );
            })}
            {only === undefined && (
              <Field label={phrase('Another date')}>
                {(id) => (
                  <select
                    id={id}
                    className="w-full"
                    value={newDate}
                    onChange={(e) => {
                      if (e.target.value) set({ [ownDate + e.target.value]: '' });
                      setNewDate('');
                    }}
                  >
                    <option value="">{phrase('choose')}</option>
                    {(session?.keyDates ?? [])
                      .filter((d) => !(ownDate + d in fields))
                      .map((d) => (
                        <option key={d}>{d}</option>
                      ))}
                  </select>
                )}
              </Field>
            )}
          </div>
        </fieldset>
      )}
      {own.length > 0 && (
        <fieldset className="border-0 p-0">
          {only === undefined && <legend className="mb-1 text-small text-soft">{phrase('Fields of your own')}</legend>}
          <div className={only ? '' : 'grid grid-cols-3 gap-x-6 max-[699px]:grid-cols-1'}>
            {own.map((f) => (
              <Field
                key={f.key}
                label={f.name}
                error={fieldError(save.error, `custom.${f.key}`)}
                hint={f.gone ? phrase('no field any more; it can be emptied') : undefined}
              >
                {(id, by) => (
                  <OwnFieldInput
                    id={id}
                    describedBy={by}
                    field={f}
                    value={(fields as Record<string, string>)[ownText + f.key] ?? ''}
                    set={(value) => set({ [`${ownText}${f.key}`]: value })}
                  />
                )}
              </Field>
            ))}
          </div>
        </fieldset>
      )}
      <Trouble error={save.error} />
      {asking && (
        <p role="alert" className="text-small">
          {phrase('What you have written is not saved yet. Escape once more throws it away.')}
        </p>
      )}
      <div className="flex gap-4">
        <Button type="submit" look="main" disabled={save.isPending}>
          {phrase('Save')}
        </Button>
        <Button look="plain" onClick={close}>
          {phrase('leave it as it was')}
        </Button>
        {isThere(save.error) && (
          <Button disabled={save.isPending} onClick={() => save.mutate(true)}>
            {phrase('That is right: save it all the same')}
          </Button>
        )}
      </div>
    </form>
  );
}
