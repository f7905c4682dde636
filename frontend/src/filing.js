// The field that files a page: the names of all categories of the volume, fetched when it is first used.
export function filing() {
  return {
    names: [],
    async load() {
      if (this.names.length) return;
      const answer = await fetch(this.$root.dataset.names).catch(() => null);
      if (answer?.ok) this.names = await answer.json();
    },
  };
}
