// Wakes the scheduler every 25 ms; a worker's timer is not throttled in a hidden page.
setInterval(() => postMessage(0), 25);
