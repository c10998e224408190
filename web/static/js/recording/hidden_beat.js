// @ts-check
// A tab that nobody sees is called once a second at the most, whatever it waits for; a worker of it is not.

/** So often, in milliseconds: as often as a frame comes where the tab is seen. */
const EACH = 16;
setInterval(() => postMessage(0), EACH);
