import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { ZoneField } from '../../ui/ZoneField';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { CountryField, countryOfBrowser, PresetWords } from '../beginning/CountryField';
import { BringIn } from './BringIn';
import { FirstPage } from './FirstPage';
import { PasswordField } from './PasswordField';

/** The first practice of an installation, and who signs in to it first. */
export function BeginPage() {
  const queries = useQueryClient();
  const go = useNavigate();
  const key = useSearchParams()[0].get('key') ?? '';
  const countries = useQuery({ queryKey: ['countries'], queryFn: () => take(api.GET('/api/session/countries')) });
  const [practice, setPractice] = useState('');
  const [name, setName] = useState('');
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const [zone, setZone] = useState(Intl.DateTimeFormat().resolvedOptions().timeZone);
  const [chosen, setChosen] = useState<string>();
  const [brings, setBrings] = useState(false);
  const country = chosen ?? countryOfBrowser(countries.data ?? []);
  const begin = useMutation({
    mutationFn: () => take(api.POST('/api/session/begin', { body: { key, practice, name, email, password, zone, country } })),
    onSuccess: async () => {
      await queries.resetQueries();
      go('/beginning', { replace: true });
    },
  });
  const text = (
    label: string,
    field: 'practice' | 'name' | 'email',
    value: string,
    set: (v: string) => void,
    more: object,
    hint?: string,
  ) => (
    <Field label={label} error={fieldError(begin.error, field)} hint={hint}>
      {(id, by) => (
        <input id={id} aria-describedby={by} required className="w-full" value={value} onChange={(e) => set(e.target.value)} {...more} />
      )}
    </Field>
  );
  const own = ['practice', 'name', 'email', 'password', 'zone', 'country'].some((f) => fieldError(begin.error, f));
  if (brings) {
    return (
      <FirstPage
        title={phrase('Bring a practice in')}
        lead={phrase('It was taken out elsewhere, as one file. Afterwards everything is here as it was there.')}
      >
        <BringIn accessKey={key} back={() => setBrings(false)} />
      </FirstPage>
    );
  }
  return (
    <FirstPage
      title={phrase('Begin')}
      lead={phrase('This installation is empty. Say who you are; the rest follows step by step, and can be left and gone on with.')}
      margin={<PresetWords country={countries.data?.find((c) => c.country === country)} />}
    >
      <form
        className="mt-8 grid max-w-[720px] grid-cols-2 gap-x-8 max-[699px]:grid-cols-1"
        onSubmit={(e) => {
          e.preventDefault();
          begin.mutate();
        }}
      >
        {text(
          phrase('Your practice'),
          'practice',
          practice,
          setPractice,
          { autoFocus: true, autoComplete: 'organization' },
          phrase('what it is called; it stands under letters'),
        )}
        {text(phrase('Your name'), 'name', name, setName, { autoComplete: 'name' }, phrase('as it stands under letters'))}
        {text(
          phrase('Email address'),
          'email',
          email,
          setEmail,
          { type: 'email', autoComplete: 'username' },
          phrase('you sign in with it, and letters come from it'),
        )}
        <PasswordField value={password} set={setPassword} error={fieldError(begin.error, 'password')} />
        <ZoneField
          label={phrase('Your clock')}
          none={phrase('choose a place')}
          value={zone}
          set={setZone}
          error={fieldError(begin.error, 'zone')}
        />
        <CountryField countries={countries.data ?? []} value={country} set={setChosen} error={fieldError(begin.error, 'country')} />
        <div className="col-span-full">
          {!own && <Trouble error={begin.error ?? countries.error} />}
          <Button type="submit" look="main" disabled={begin.isPending}>
            {phrase('Begin')}
          </Button>
          <p className="mt-6 text-soft">
            <Sentence
              m="Was your practice in another Germinal? <button>Bring it in from there</button>"
              v={{
                button: (c) => (
                  <Button look="plain" className="min-h-6" onClick={() => setBrings(true)}>
                    {c}
                  </Button>
                ),
              }}
            />
          </p>
        </div>
      </form>
    </FirstPage>
  );
}
