// Loads WebAssembly, and lets the page say that it is ready, or why it is not.
export const ready = async (load) => {
  try {
    await load();
    document.body.dataset.ready = "";
  } catch (error) {
    document.body.dataset.error = error;
  }
};
