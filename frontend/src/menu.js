// A button that unfolds a list: closes on Escape and when the focus leaves it, arrows go through it.
export function menu() {
  return {
    key(event) {
      const links = [...this.$el.querySelectorAll("a, button")];
      const at = links.indexOf(document.activeElement);
      if (event.key === "Escape" && this.$el.open) {
        this.$el.open = false;
        this.$el.querySelector("summary").focus();
      } else if (event.key === "ArrowDown") {
        this.$el.open = true;
        links[(at + 1) % links.length].focus();
      } else if (event.key === "ArrowUp" && this.$el.open) {
        links.at(at < 0 ? -1 : at - 1).focus();
      } else return;
      event.preventDefault();
    },
    left(event) {
      if (event.relatedTarget && !this.$el.contains(event.relatedTarget)) this.$el.open = false;
    },
    init() {
      document.addEventListener("click", (event) => {
        if (!this.$el.contains(event.target)) this.$el.open = false;
      });
    },
  };
}
