import { isCard } from '@lantern/core/effects/cards'
import { isRelight } from '@lantern/core/effects/relight'
import { isRender } from '@lantern/core/effects/renders'
import { isMatte } from '@lantern/core/mattes'
import type { ShotItem } from '@lantern/core/shot'

/** Whether an item stands nowhere by itself, so that it has no handles and no bar on the depth rail. */
export const hasNoPlace = (item: ShotItem): boolean =>
  isRelight(item) ||
  isRender(item) ||
  (isCard(item) && item.far !== 'in the set') ||
  (isMatte(item) && item.stands !== 'place')
