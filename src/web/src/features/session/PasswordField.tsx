import { Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';

/** A password that is being chosen. What is asked of it is the server's to say. */
export function PasswordField({
  label = phrase('Password'),
  value,
  set,
  error,
}: {
  label?: string;
  value: string;
  set: (password: string) => void;
  error?: string;
}) {
  return (
    <Field
      label={label}
      error={error}
      hint={phrase('At least 15 letters and signs: a short sentence that nobody else would say, spaces included.')}
    >
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type="password"
          autoComplete="new-password"
          required
          className="w-full"
          value={value}
          onChange={(e) => set(e.target.value)}
        />
      )}
    </Field>
  );
}
