// The two menus of the bar: the site and others, the person and signing out.
import { useNavigate } from "react-router";
import { type Schemas, api } from "../../api/client";
import { Menu } from "../../kit/Menu";
import { sendAll } from "../editing/savers";
import { useGo } from "../room/places";

export function SiteMenu({ me, site }: { me: Schemas["Me"]; site: Schemas["SiteView"] }) {
  const go = useGo();
  const navigate = useNavigate();
  const others = me.sites.filter((one) => one.code !== site.code);
  const entries = (archived: boolean) =>
    others
      .filter((one) => one.archived === archived)
      .map((one) => ({ key: `/s/${one.code}`, words: one.name }));
  const archived = entries(true);
  return (
    <span className="site">
      <Menu
        label={`${site.name}: this site and others`}
        sections={[
          {
            entries: [
              { key: "site", words: "The site itself" },
              { key: "on-sale", words: "On sale: stop and open" },
              { key: "people", words: "People" },
              { key: "stand-in-buyers", words: "Stand-in buyers" },
              { key: "release/history", words: "Releases and edits" },
            ],
          },
          {
            title: "Other sites",
            entries: [...entries(false), { key: "/new-site", words: "Add a site" }],
          },
          ...(archived.length ? [{ title: "Archived sites", entries: archived }] : []),
        ]}
        onChoose={(key) => (key.startsWith("/") ? void navigate(key) : go(`/s/${site.code}/${key}`))}
      >
        {site.name} <span aria-hidden="true">▾</span>
      </Menu>
      <span>· {new URL(site.url).hostname}</span>
    </span>
  );
}

export function PersonMenu({ me, onHelp }: { me: Schemas["Me"]; onHelp: () => void }) {
  const navigate = useNavigate();
  const signOut = async () => {
    await sendAll();
    await api.DELETE("/desk/api/session");
    window.location.assign("/"); // a new page: nothing that was read stays in memory
  };
  return (
    <Menu
      label={`${me.name}: account and signing out`}
      sections={[
        {
          entries: [
            { key: "account", words: "Your account" },
            { key: "help", words: "Shortcuts" },
            { key: "out", words: "Sign out" },
          ],
        },
      ]}
      onChoose={(key) => {
        if (key === "account") void navigate("/account");
        else if (key === "help") onHelp();
        else void signOut();
      }}
    >
      {me.name.split(" ")[0]} <span aria-hidden="true">▾</span>
    </Menu>
  );
}
