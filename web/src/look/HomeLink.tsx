import { Link } from "react-router";
import { Wordmark } from "./Wordmark";

/** The product's name, which leads back to all crafts. */
export function HomeLink() {
  return (
    <Link to="/" style={{ textDecoration: "none" }} aria-label="Coin Bell, all crafts">
      <Wordmark />
    </Link>
  );
}
