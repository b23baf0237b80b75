import { type CrewSeat, sit } from '@lantern/core/base'

// One crew thread in the browser: says that it is loaded, waits for its seat, says that it sits, then serves until the crew ends.
self.onmessage = (message: MessageEvent<CrewSeat>) => {
  self.postMessage('seated')
  sit(message.data)
}
self.postMessage('here')
