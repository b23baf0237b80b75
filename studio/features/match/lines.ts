import type { LineUpLines } from '@lantern/core/shot'
import type { Tool } from '../shot/shotStore.ts'

export const LINE_TOOLS: Partial<Record<Tool, 'x' | 'y' | 'z'>> = { 'line-x': 'x', 'line-y': 'y', 'line-z': 'z' }
export type Line = LineUpLines['lines'][number]
