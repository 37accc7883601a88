import { useState } from 'react';
import { useSession } from '../../app/session';
import { Button, Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import type { ActBody } from '../people/acts';
import { Preview, Progress } from '../people/Many';

type Whom = 'search' | 'tag' | 'list' | 'stage';
const whoms: Record<Whom, string> = {
  search: phrase('somebody, by name or address'),
  tag: phrase('everybody with a tag'),
  list: phrase('everybody on a list'),
  stage: phrase('everybody in a stage'),
};

/** Starting a program for people from its own page: somebody, or those of a tag, a list or a stage; looked at before it is done. */
export function StartPeople({ id, close }: { id: string; close: () => void }) {
  const session = useSession().data;
  const [whom, setWhom] = useState<Whom>('search');
  const [value, setValue] = useState('');
  const [asked, setAsked] = useState<ActBody['matching']>();
  const [act, setAct] = useState<string>();
  const [nobody, setNobody] = useState(false);
  const options = whom === 'tag' ? session?.tags : whom === 'stage' ? session?.stages : undefined;
  if (act) return <Progress id={act} close={close} />;
  return (
    <section aria-label={phrase('Start it for people')} className="mt-3">
      <h3>{phrase('Start it for')}</h3>
      {asked ? (
        <Preview
          picked={{ people: { ids: null, matching: asked }, count: 2 }}
          kind="start"
          what={id}
          leave={() => setAsked(undefined)}
          done={({ act: done }) => {
            setAsked(undefined);
            if (done) setAct(done);
            else setNobody(true);
          }}
        />
      ) : (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            setNobody(false);
            setAsked({ search: null, tag: null, stage: null, owner: null, list: null, [whom]: value.trim() });
          }}
        >
          <Field label={phrase('Whom')}>
            {(field) => (
              <select
                id={field}
                className="w-full text-ink"
                value={whom}
                onChange={(e) => {
                  setWhom(e.target.value as Whom);
                  setValue('');
                }}
              >
                {Object.entries(whoms).map(([key, words]) => (
                  <option key={key} value={key}>
                    {words}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <Field label={{ search: phrase('Name or address'), tag: 'Tag', list: phrase('List'), stage: phrase('Stage') }[whom]}>
            {(field) =>
              options ? (
                <select id={field} required className="w-full text-ink" value={value} onChange={(e) => setValue(e.target.value)}>
                  <option value="">{phrase('choose')}</option>
                  {options.map((o) => (
                    <option key={o} value={o}>
                      {o.split('/').at(-1)}
                    </option>
                  ))}
                </select>
              ) : (
                <input
                  id={field}
                  required
                  autoFocus
                  maxLength={60}
                  className="w-full text-ink"
                  value={value}
                  onChange={(e) => setValue(e.target.value)}
                />
              )
            }
          </Field>
          {nobody && <p className="mb-2 text-straw">{phrase('Nobody is left for it.')}</p>}
          <Button type="submit">{phrase('Look first …')}</Button>{' '}
          <Button look="plain" className="ml-3" onClick={close}>
            {phrase('leave it')}
          </Button>
        </form>
      )}
    </section>
  );
}
