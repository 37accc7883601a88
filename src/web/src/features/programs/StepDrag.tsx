import {
  type CollisionDetection,
  closestCenter,
  DndContext,
  DragOverlay,
  PointerSensor,
  pointerWithin,
  useDndContext,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
} from '@dnd-kit/core';
import { type ReactNode, useEffect, useState } from 'react';
import { StepMark } from '../../ui/TouchLine';
import { phrase } from '../../words/phrase';
import type { Step } from './programFile';
import { type Place, placeOf, placeWord } from './stepMoves';

/** A press moves; it takes this far (pixels) to be more than a press. */
const farEnough = 6;

/** The gap under the pointer, else the nearest. */
const nearest: CollisionDetection = (args) => {
  const under = pointerWithin(args);
  return under.length > 0 ? under : closestCenter(args);
};

/** Steps that are drawn from place to place, into passages and out of them. */
export function StepDrag({
  children,
  taken,
  move,
}: {
  children: ReactNode;
  /** What goes along when a step is drawn: itself, or all that are picked with it. */
  taken: (id: string) => Step[];
  move: (id: string, place: Place) => void;
}) {
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: farEnough } }));
  const [drawn, setDrawn] = useState<Step[]>([]);
  const [main, setMain] = useState<HTMLElement>();
  useEffect(() => setMain(document.getElementById('main') ?? undefined), []);
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={nearest}
      accessibility={{ container: main, screenReaderInstructions: { draggable: phrase('Move it by Alt and the arrow keys.') } }}
      onDragStart={({ active }) => setDrawn(taken(String(active.id)))}
      onDragCancel={() => setDrawn([])}
      onDragEnd={({ active, over }) => {
        setDrawn([]);
        if (over) move(String(active.id), placeOf(String(over.id)));
      }}
    >
      {children}
      <DragOverlay dropAnimation={null}>
        {drawn.length > 0 && (
          <span className="inline-flex items-center gap-2 rounded-std border whitespace-nowrap border-rule bg-sheet px-3 py-1 font-serif shadow-sm">
            <StepMark kind={drawn[0]?.kind ?? ''} /> {phrase('{drawn, plural, one {# step} other {# steps}}', { drawn: drawn.length })}
          </span>
        )}
      </DragOverlay>
    </DndContext>
  );
}

/** The mark of a step: drawn, it moves the step; pressed, it picks it among several. */
export function StepHandle({
  id,
  label,
  marked,
  mark,
  children,
}: {
  id: string;
  label: string;
  marked: boolean;
  mark: () => void;
  children: ReactNode;
}) {
  const { setNodeRef, listeners } = useDraggable({ id });
  return (
    <button
      ref={setNodeRef}
      type="button"
      aria-label={label}
      aria-pressed={marked}
      title={phrase('Press to pick it with others, draw to move it')}
      className={`inline-flex h-6 w-6 touch-none cursor-grab items-center justify-center rounded-std ${marked ? 'bg-leaf-pale outline outline-leaf' : 'hover:bg-leaf-pale'}`}
      onClick={mark}
      {...listeners}
    >
      {children}
    </button>
  );
}

/** Where drawn steps can be let go: shown only while some are drawn. */
export function Gap({ place, side }: { place: Place; side: 'top' | 'bottom' }) {
  const { active } = useDndContext();
  const { setNodeRef, isOver } = useDroppable({ id: placeWord(place) });
  return (
    <span
      ref={setNodeRef}
      aria-hidden="true"
      className={`pointer-events-none absolute right-0 left-0 z-10 h-5 ${side === 'top' ? '-top-2.5' : '-bottom-2.5'} ${active ? '' : 'invisible'}`}
    >
      {isOver && <span className="absolute top-2 right-2 left-1 h-[3px] bg-leaf" />}
    </span>
  );
}
