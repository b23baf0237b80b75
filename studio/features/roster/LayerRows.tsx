'use client'
import { closestCenter, DndContext, type DragEndEvent, PointerSensor, useSensor, useSensors } from '@dnd-kit/core'
import { SortableContext, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { memo } from 'react'
import { useShot } from '../shot/shotStore.ts'
import { type Entry, moveLayer } from './entries.ts'
import { RosterRow } from './RosterRow.tsx'

/** A press that moves less than this is a click, px. */
const CLICK = 4
const layerOf = (id: string | number): string => String(id).slice('layer.'.length)

const LayerRow = memo(function LayerRow({ entry }: { entry: Entry }) {
  const fixed = entry.layer?.locked === true || !entry.id.startsWith('layer.')
  const { setNodeRef, listeners, transform, transition, isDragging } = useSortable({ id: entry.id, disabled: fixed })
  return (
    <RosterRow
      entry={entry}
      ref={setNodeRef}
      {...listeners}
      style={{ transform: CSS.Translate.toString(transform), transition, zIndex: isDragging ? 1 : undefined }}
    />
  )
})

/** The layers of the stack, the top one first; dragged to another place. */
export const LayerRows = memo(function LayerRows({ entries }: { entries: readonly Entry[] }) {
  const edit = useShot((state) => state.edit)
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: CLICK } }))
  const drop = ({ active, over }: DragEndEvent): void => {
    const { shot } = useShot.getState()
    if (shot && over && over.id !== active.id && String(over.id).startsWith('layer.'))
      edit(moveLayer(shot.document, layerOf(active.id), layerOf(over.id)))
  }
  return (
    <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={drop}>
      <SortableContext items={entries.map(({ id }) => id)} strategy={verticalListSortingStrategy}>
        {entries.map((entry) => (
          <LayerRow key={entry.id} entry={entry} />
        ))}
      </SortableContext>
    </DndContext>
  )
})
