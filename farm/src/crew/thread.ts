import { workerData } from 'node:worker_threads'
import { type CrewSeat, sit } from '@lantern/core/base'

// Entry of one crew thread; bundled by farm/build.mjs to farm/dist/thread.mjs.
sit(workerData as CrewSeat)
