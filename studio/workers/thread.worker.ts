import { type CrewSeat, sit } from '@lantern/core/base'

// One crew thread in the browser: waits for its seat, then serves until the crew ends.
self.onmessage = (message: MessageEvent<CrewSeat>) => sit(message.data)
