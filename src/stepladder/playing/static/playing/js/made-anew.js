// The pages are made anew meanwhile: look again in a moment.
setTimeout(() => location.reload(), 2500);
