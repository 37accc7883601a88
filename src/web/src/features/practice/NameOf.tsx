import { NameForm } from '../../ui/NameForm';
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
    <Say words={plain ?? name} label={`Call the ${what} “${name}” otherwise`}>
      {(close) => (
        <NameForm
          label={`What the ${what} is called`}
          words="Call it so"
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
export const some = (used: string[]) => (used.length > 3 ? `${used.slice(0, 3).join(', ')} and ${used.length - 3} more` : used.join(', '));
