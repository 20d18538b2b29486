// Nobody is signed in here: what was taken along for whoever was is gone from this device.
if ("caches" in window) caches.keys().then((names) => names.forEach((name) => caches.delete(name)));
