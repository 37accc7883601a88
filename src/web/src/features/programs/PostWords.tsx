import { useState } from 'react';
import { Trouble } from '../../ui/bits';
import { NameForm } from '../../ui/NameForm';
import { PictureChooser } from '../../ui/PictureChooser';
import { usePen } from './pen';
import type { Step } from './programFile';
import { Say, SayOneOf } from './Say';

/** Where a post is to stand, with which picture, and whether it goes there by itself. */
export function PostWords({ step }: { step: Extract<Step, { kind: 'post' }> }) {
  const { set } = usePen();
  const [trouble, setTrouble] = useState<unknown>();
  const address = step.picture ? `/i/${step.picture}` : null;
  return (
    <>
      It is{' '}
      <Say words={step.place ? `for ${step.place}` : 'for a place that is plain'} label="Where it is to stand" soft={!step.place}>
        {(close) => (
          <NameForm
            label="Where it is to stand"
            words="There"
            start={step.place ?? ''}
            longest={200}
            take={(place) => {
              set({ ...step, place });
              close();
            }}
          />
        )}
      </Say>
      , with{' '}
      <Say
        words={step.picture ? `a picture${step.pictureWords ? ` of ${step.pictureWords}` : ''}` : 'no picture'}
        label="Its picture"
        soft={!step.picture}
      >
        {() => (
          <div className="flex flex-wrap items-center gap-3">
            {address && <img src={address} alt={step.pictureWords ?? ''} className="max-h-24" />}
            <PictureChooser
              picture={address}
              label="The picture of the post"
              words={['Choose a picture', 'another picture']}
              without="without"
              set={(url) => set({ ...step, picture: url ? url.slice('/i/'.length) : undefined })}
              trouble={setTrouble}
            />
            <Trouble error={trouble} />
            {address && (
              <NameForm
                label="What the picture shows"
                words="That is on it"
                start={step.pictureWords ?? ''}
                longest={400}
                take={(pictureWords) => set({ ...step, pictureWords })}
              />
            )}
          </div>
        )}
      </Say>
      ;{' '}
      <SayOneOf<boolean>
        words={step.byItself ? 'the gateway puts it there' : 'whoever looks after them puts it there'}
        label="Who puts it there"
        choices={[
          [false, 'whoever looks after them puts it there'],
          [true, 'the gateway puts it there'],
        ]}
        now={step.byItself ?? false}
        choose={(byItself) => set({ ...step, byItself })}
      />
      .{' '}
    </>
  );
}
