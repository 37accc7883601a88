import { useState } from 'react';
import { Trouble } from '../../ui/bits';
import { NameForm } from '../../ui/NameForm';
import { PictureChooser } from '../../ui/PictureChooser';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { usePen } from './pen';
import type { Step } from './programFile';
import { Say, SayOneOf } from './Say';

/** Where a post is to stand, with which picture, and whether it goes there by itself. */
export function PostWords({ step }: { step: Extract<Step, { kind: 'post' }> }) {
  const { set } = usePen();
  const [trouble, setTrouble] = useState<unknown>();
  const address = step.picture ? `/i/${step.picture}` : null;
  return (
    <Sentence
      m="It is {place}, with {picture}; {byItself}. "
      v={{
        place: (
          <Say
            words={step.place ? phrase('for {place}', { place: step.place }) : phrase('for a place that is plain')}
            label={phrase('Where it is to stand')}
            soft={!step.place}
          >
            {(close) => (
              <NameForm
                label={phrase('Where it is to stand')}
                words={phrase('There')}
                start={step.place ?? ''}
                longest={200}
                take={(place) => {
                  set({ ...step, place });
                  close();
                }}
              />
            )}
          </Say>
        ),
        picture: (
          <Say
            words={
              step.picture
                ? phrase('a picture{pictureWords}', {
                    pictureWords: step.pictureWords ? phrase(' of {pictureWords}', { pictureWords: step.pictureWords }) : '',
                  })
                : phrase('no picture')
            }
            label={phrase('Its picture')}
            soft={!step.picture}
          >
            {() => (
              <div className="flex flex-wrap items-center gap-3">
                {address && <img src={address} alt={step.pictureWords ?? ''} className="max-h-24" />}
                <PictureChooser
                  picture={address}
                  label={phrase('The picture of the post')}
                  words={[phrase('Choose a picture'), phrase('another picture')]}
                  without={phrase('without')}
                  set={(url) => set({ ...step, picture: url ? url.slice('/i/'.length) : undefined })}
                  trouble={setTrouble}
                />
                <Trouble error={trouble} />
                {address && (
                  <NameForm
                    label={phrase('What the picture shows')}
                    words={phrase('That is on it')}
                    start={step.pictureWords ?? ''}
                    longest={400}
                    take={(pictureWords) => set({ ...step, pictureWords })}
                  />
                )}
              </div>
            )}
          </Say>
        ),
        byItself: (
          <SayOneOf<boolean>
            words={step.byItself ? phrase('the gateway puts it there') : phrase('whoever looks after them puts it there')}
            label={phrase('Who puts it there')}
            choices={[
              [false, phrase('whoever looks after them puts it there')],
              [true, phrase('the gateway puts it there')],
            ]}
            now={step.byItself ?? false}
            choose={(byItself) => set({ ...step, byItself })}
          />
        ),
      }}
    />
  );
}
