/** Tabs of a panel at the side: one is open, arrows go to the next, the address says which. */

/** @param {(name: string) => void} opened told which is open now. @returns {(name: string) => void} opens one; the first for a name there is none of */
export function bindTabs(opened = () => {}) {
  const tabs = [...document.querySelectorAll("[data-tab]")];
  const open = (name) => {
    const known = (tabs.find((tab) => tab.dataset.tab === name) ?? tabs[0]).dataset.tab;
    for (const tab of tabs) {
      const here = tab.dataset.tab === known;
      tab.setAttribute("aria-selected", String(here));
      tab.tabIndex = here ? 0 : -1;
      document.getElementById(`panel-${tab.dataset.tab}`).hidden = !here;
    }
    history.replaceState(null, "", known === tabs[0].dataset.tab ? location.pathname : `#${known}`);
    opened(known);
  };
  for (const tab of tabs) tab.addEventListener("click", () => open(tab.dataset.tab));
  document.querySelector("[role=tablist]").addEventListener("keydown", (e) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    const next = tabs[(tabs.indexOf(e.target) + by + tabs.length) % tabs.length];
    open(next.dataset.tab);
    next.focus();
  });
  return open;
}
