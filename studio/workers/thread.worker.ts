import { type CrewSeat, sit } from '@lantern/core/base'

// One crew thread in the browser: says that it is loaded, waits for its seat, then serves until the crew ends.
self.onmessage = (message: MessageEvent<CrewSeat>) => sit(message.data)
self.postMessage('here')
