import { type ButtonHTMLAttributes, type ReactNode, useId } from 'react';
import { ApiError } from '../api/client';
import { phrase } from '../words/phrase';
import { phone } from './when';

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { look?: 'main' | 'quiet' | 'plain' | 'danger' };

/** `main` is the one thing to do, `quiet` a word in leaf, `plain` a word in ink. */
export function Button({ look = 'quiet', className = '', type = 'button', ...rest }: ButtonProps) {
  const looks = {
    main: 'bg-leaf text-on-leaf px-3.5 py-1.5 rounded-std font-semibold text-small whitespace-nowrap',
    quiet: 'max-[699px]:min-h-6 text-leaf text-small whitespace-nowrap hover:underline',
    plain: 'max-[699px]:min-h-6 text-ink text-small whitespace-nowrap hover:underline',
    danger: 'max-[699px]:min-h-6 text-ember text-small whitespace-nowrap hover:underline',
  };
  return <button type={type} className={`${looks[look]} ${className}`} {...rest} />;
}

/** What went wrong and what would be right, for a screen reader at once. */
export function Trouble({ error, children }: { error: unknown; children?: ReactNode }) {
  if (!error) return null;
  return (
    <div role="alert" className="my-2 border-l-[3px] border-ember bg-ember-pale px-3 py-2 text-small text-ink">
      {error instanceof ApiError || error instanceof Error ? error.message : String(error)}
      {children}
    </div>
  );
}

/** A labelled field with its trouble under it. */
export function Field({
  label,
  error,
  hint,
  children,
}: {
  label: string;
  error?: string;
  hint?: string;
  children: (id: string, describedBy: string | undefined) => ReactNode;
}) {
  const id = useId();
  const described = error || hint ? `${id}-d` : undefined;
  return (
    <div className="mb-3">
      <label htmlFor={id} className="mb-0.5 block text-small text-soft">
        {label}
      </label>
      {children(id, described)}
      {described && (
        <div id={described} className={`mt-1 text-small ${error ? 'text-ember' : 'text-soft'}`} role={error ? 'alert' : undefined}>
          {error ?? hint}
        </div>
      )}
    </div>
  );
}

/** While something loads; keeps the page's height. */
export function Loading({ what = phrase('Loading') }: { what?: string }) {
  return (
    <p className="px-7 py-8 text-small text-soft" role="status">
      {what} …
    </p>
  );
}

/** How far long work is, in whole percent. */
export function ProgressBar({ share, label, className = '' }: { share: number; label: string; className?: string }) {
  return (
    <div
      className={`h-2 bg-rule ${className}`}
      role="progressbar"
      aria-valuenow={share}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-label={label}
    >
      <div className="h-2 bg-leaf" style={{ width: `${share}%` }} />
    </div>
  );
}

/** Nothing there yet: says what to do first. */
export function Empty({ children }: { children: ReactNode }) {
  return <p className="max-w-[56ch] px-7 py-5 font-serif text-soft max-[699px]:px-4">{children}</p>;
}

/** The first message for a field of an ApiError. */
export function fieldError(error: unknown, field: string) {
  return error instanceof ApiError ? error.fields[field]?.[0] : undefined;
}

/** A telephone number that dials (RFC 3966). `number` in international form. */
export function Dial({ number, extension }: { number: string; extension?: string | null }) {
  return (
    <a
      className="whitespace-nowrap text-inherit no-underline hover:underline"
      href={`tel:${number}${extension ? `;ext=${extension}` : ''}`}
    >
      {phone(number, extension)}
    </a>
  );
}
