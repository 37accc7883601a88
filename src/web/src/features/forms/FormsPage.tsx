import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { nearDay } from '../../ui/when';
import { phrase } from '../../words/phrase';

/** The practice's forms: what they are called, where they are, what was sent by them. */
export default function FormsPage() {
  const queries = useQueryClient();
  const go = useNavigate();
  const { now, zone } = useNow();
  const forms = useQuery({ queryKey: ['forms'], queryFn: () => take(api.GET('/api/forms')) });
  const [name, setName] = useState('');
  const begin = useMutation({
    mutationFn: () => take(api.POST('/api/forms', { body: { name } })),
    onSuccess: (form) => {
      queries.setQueryData(['form', form.id], form);
      go(`/forms/${form.id}`);
    },
  });
  if (forms.isPending) return <Loading what={phrase('Opening the forms')} />;
  return (
    <DayPage
      marginTitle={phrase('What forms are for')}
      margin={
        <>
          <h3>{phrase('What forms are for')}</h3>
          <p>
            {phrase(
              'A form is a page anybody can open: to ask you something, to sign up for letters, to say they come to a talk. It has an address of its own, stands in any other page, and prints as a sheet to be laid out.',
            )}
          </p>
          <p className="mt-3">
            {phrase(
              'Whoever sends one is found or made, with the consent they gave, and stands under Inquiries where they asked something.',
            )}
          </p>
        </>
      }
    >
      <PageHead title={phrase('Forms')} aside={<Link to="/inquiries">{phrase('Inquiries')}</Link>} />
      <Trouble error={forms.error} />
      <form
        className="mb-3 flex items-end gap-3 px-7 max-[699px]:px-4"
        onSubmit={(e) => {
          e.preventDefault();
          if (name.trim()) begin.mutate();
        }}
      >
        <Field label={phrase('A new form')} error={fieldError(begin.error, 'name')}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              placeholder={phrase('what it is called')}
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          )}
        </Field>
        <Button type="submit" look="main" disabled={!name.trim() || begin.isPending}>
          {phrase('Write it')}
        </Button>
      </form>
      {!fieldError(begin.error, 'name') && <Trouble error={begin.error} />}
      {forms.data?.length === 0 && <Empty>{phrase('There is none yet. Give the first one a name: “Ask us”, say.')}</Empty>}
      {forms.data?.map((f) => (
        <div key={f.id} className="row flex items-baseline gap-4">
          <span className="gutter">{f.lastAt ? nearDay(f.lastAt, zone, now) : ''}</span>
          <span className="min-w-0 flex-1">
            <Link className="font-serif text-ink" to={`/forms/${f.id}`}>
              {f.name}
            </Link>
            <span className="block text-small text-soft">
              {f.shown ? (f.open ? phrase('everybody can open it') : phrase('shown, and closed')) : phrase('nobody sees it yet')}
              {f.changed ? phrase(', changed since') : ''} ·{' '}
              {phrase('{sent, plural, one {# was sent} other {# were sent}}', { sent: f.sent })}
              {f.unconfirmed > 0 ? phrase(', {unconfirmed, number} not confirmed yet', { unconfirmed: f.unconfirmed }) : ''}
            </span>
          </span>
          {f.apart > 0 && (
            <Link className="text-small text-straw" to={`/forms/${f.id}/sent?state=apart`}>
              {phrase('{apart, plural, one {# waits apart} other {# wait apart}}', { apart: f.apart })}
            </Link>
          )}
          <Link className="text-small" to={`/forms/${f.id}/sent`}>
            {phrase('what was sent')}
          </Link>
        </div>
      ))}
    </DayPage>
  );
}
