import { NameForm } from '../../ui/NameForm';
import { phrase } from '../../words/phrase';
import { Say } from '../programs/Say';

/** A name that is pressed to be called otherwise. */
export function NameOf({
  name,
  what,
  call,
  plain,
  longest = 80,
}: {
  name: string;
  what: string;
  call: (to: string) => void;
  plain?: string;
  longest?: number;
}) {
  return (
    <Say words={plain ?? name} label={phrase('Call the {what} “{name}” otherwise', { what, name })}>
      {(close) => (
        <NameForm
          label={phrase('What the {what} is called', { what })}
          words={phrase('Call it so')}
          start={name}
          longest={longest}
          take={(to) => {
            close();
            call(to);
          }}
        />
      )}
    </Say>
  );
}

/** The first three of what asks for it. */
export const some = (used: string[]) =>
  used.length > 3
    ? phrase('{used} and {used2, number} more', { used: used.slice(0, 3).join(', '), used2: used.length - 3 })
    : used.join(', ');
