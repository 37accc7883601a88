import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

/** The first person by hand; a list is brought in elsewhere. */
export function FirstPerson({ done }: { done: () => void }) {
  const [fields, setFields] = useState({ firstName: '', lastName: '', email: '' });
  const add = useMutation({ mutationFn: () => take(api.POST('/api/people', { body: { ...fields, anyway: false } })), onSuccess: done });
  const text = (label: string, key: keyof typeof fields, more: object) => (
    <Field label={label} error={fieldError(add.error, key)}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          className="w-56"
          value={fields[key]}
          onChange={(e) => setFields({ ...fields, [key]: e.target.value })}
          {...more}
        />
      )}
    </Field>
  );
  return (
    <form
      className="mt-2"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <div className="flex flex-wrap gap-x-6">
        {text(phrase('First name'), 'firstName', { autoFocus: true })}
        {text(phrase('Last name'), 'lastName', {})}
        {text(phrase('Email'), 'email', { type: 'email' })}
      </div>
      {!fieldError(add.error, 'email') && <Trouble error={add.error} />}
      <div className="flex flex-wrap items-center gap-5">
        <Button type="submit" look="main" disabled={add.isPending}>
          {phrase('Add them')}
        </Button>
        <span className="text-soft">
          <Sentence
            m="or <link>bring a list in</link>"
            v={{
              link: (c) => (
                <Link className="inline-flex min-h-6 items-center" to="/people/bring-in">
                  {c}
                </Link>
              ),
            }}
          />
        </span>
      </div>
    </form>
  );
}
