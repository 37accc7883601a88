import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { upload } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { size } from '../../ui/size';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { PasswordField } from './PasswordField';

/** A practice that was taken out of another installation becomes the first of this one. */
export function BringIn({ accessKey, back }: { accessKey: string; back: () => void }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const [file, setFile] = useState<File>();
  const [name, setName] = useState('');
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const [goesOn, setGoesOn] = useState(false);
  const bring = useMutation({
    mutationFn: () =>
      file
        ? upload('/api/session/bring', file, { name, email, password, goesOn: String(goesOn) }, { 'X-Germinal-Key': accessKey })
        : Promise.resolve(undefined),
    onSuccess: async () => {
      // First away from here: whoever is signed in and stands at this address is led to the beginning.
      go('/', { replace: true });
      await queries.resetQueries();
    },
  });
  const own = ['file', 'name', 'email', 'password'].some((f) => fieldError(bring.error, f));
  return (
    <form
      className="mt-8 max-w-[340px]"
      onSubmit={(e) => {
        e.preventDefault();
        bring.mutate();
      }}
    >
      <Field
        label={phrase('The practice’s archive')}
        error={fieldError(bring.error, 'file')}
        hint={phrase('a .germinal.zip, as “All data” hands it out')}
      >
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            type="file"
            accept=".zip,application/zip"
            required
            className="w-full"
            onChange={(e) => setFile(e.target.files?.[0])}
          />
        )}
      </Field>
      <Field label={phrase('Your name')} error={fieldError(bring.error, 'name')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            autoComplete="name"
            required
            className="w-full"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        )}
      </Field>
      <Field
        label={phrase('Email address')}
        error={fieldError(bring.error, 'email')}
        hint={phrase('the one you signed in with there, or a new one; you are a principal of the practice')}
      >
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            type="email"
            autoComplete="username"
            required
            className="w-full"
            value={email}
            onChange={(e) => setEmail(e.target.value)}
          />
        )}
      </Field>
      <PasswordField value={password} set={setPassword} error={fieldError(bring.error, 'password')} />
      <label className="mt-2 inline-flex min-h-6 items-baseline">
        <input type="checkbox" className="mr-2" checked={goesOn} onChange={(e) => setGoesOn(e.target.checked)} />
        {phrase('Programs go on at once')}
      </label>
      <p className="mt-0 text-small text-soft">
        {phrase(
          'Without this they are paused, and broadcasts held, until you say so here. Take care that the other installation sends nothing any more before anything goes on.',
        )}
      </p>
      {!own && <Trouble error={bring.error} />}
      {bring.isPending && (
        <p role="status">
          <Sentence m="{file}on the way in; stay on this page." v={{ file: file && `${size(file.size)} ` }} />
        </p>
      )}
      <span className="flex gap-5">
        <Button type="submit" look="main" disabled={bring.isPending}>
          {phrase('Bring it in')}
        </Button>
        <Button look="plain" className="min-h-6" onClick={back}>
          {phrase('Begin with nothing instead')}
        </Button>
      </span>
    </form>
  );
}
