"""Numbers chosen by hand, against simulated players with a hidden optimum."""

import numpy as np
import pandas as pd
import pytest
from scipy.stats import norm

import tinrocket as tr
from tinrocket.tuning.preference import FIRST, SAME, SECOND, answer_chances, preference

FREE = {"rocket.thrust.accel": (100.0, 1500.0), "rocket.drag.keep": (0.95, 0.999)}


def shares(choice, numbers):
    return np.array([number.share(numbers[number.path]) for number in choice.free])


def said(choice, first, second, feel, random, least=0.4):
    """Return the answer of a player who feels a difference with noise."""
    felt = feel(shares(choice, first)) - feel(shares(choice, second)) + random.standard_normal()
    return "first" if felt > least else "second" if felt < -least else "same"


@pytest.mark.slow
def test_a_hidden_optimum_is_found_after_a_dozen_pairs(seeds):
    count, found, near = seeds(100, part=50), 0, []
    for player in range(count):
        random = np.random.default_rng(player)
        best, sharp = random.uniform(0.1, 0.9, 2), random.uniform(6, 25)
        choice = tr.choose(tr.read_demo("rocket"), FREE, seed=player)
        for _ in range(12):
            pair = choice.next_pair()
            feel = lambda at: -sharp * float(np.square(at - best).sum())  # noqa: B023, E731
            choice = choice.answered(*pair, said(choice, *pair, feel, random))
        numbers = choice.preferred
        ends = np.array(
            [
                sorted((number.number.share(number.low), number.number.share(number.high)))
                for number in numbers
            ]
        )
        found += bool(((ends[:, 0] <= best) & (best <= ends[:, 1])).all())
        near.append([number.number.share(number.value) for number in numbers] - best)
    assert found >= 0.9 * count
    assert np.abs(near).mean() < 0.12  # by chance it would be 0.27


def test_the_next_pair_teaches_more_than_one_at_random():
    """After some answers, its answer is no foregone conclusion, and near what is liked."""
    random = np.random.default_rng(1)
    choice = tr.choose(tr.read_demo("rocket"), FREE)
    best = np.array([0.7, 0.3])
    for _ in range(8):
        pair = choice.next_pair()
        feel = lambda at: -15 * float(np.square(at - best).sum())  # noqa: E731
        choice = choice.answered(*pair, said(choice, *pair, feel, random))
    first, second = (shares(choice, numbers) for numbers in choice.next_pair())
    assert np.hypot(*(first - best)) < 0.5
    assert np.hypot(*(second - best)) < 0.5
    assert choice.next_pair() == choice.next_pair()


@pytest.mark.parametrize("least", [0.05, 0.8])
def test_answers_have_the_chances_of_two_normal_tails(least):
    differences = np.linspace(-3, 3, 13)
    first, second, same = answer_chances(differences, least)
    np.testing.assert_allclose(first + second + same, 1.0)
    np.testing.assert_allclose(first, norm.sf(least, loc=differences))
    np.testing.assert_allclose(second, norm.cdf(-least, loc=differences))


def test_preferred_numbers_have_a_higher_expected_feel():
    line = np.linspace(0, 1, 6)[:, None]
    pairs = np.stack([line[[0, 1, 5, 5, 4]], line[[2, 3, 3, 2, 3]]], axis=1)
    model = preference(pairs, np.array([SECOND, SECOND, SECOND, SECOND, SAME]))
    feel = model.mean(line)
    assert feel[3] > feel[1] > feel[0]
    assert feel[3] > feel[5]
    turned = preference(pairs[:, ::-1], np.array([FIRST, FIRST, FIRST, FIRST, SAME]))
    np.testing.assert_allclose(turned.mean(line), feel, rtol=0.03, atol=0.01)


def test_answers_survive_a_file_and_go_on(tmp_path, cli):
    rocket = tr.read_demo("rocket")
    choice = tr.choose(rocket, FREE)
    for better in ("first", "same", "second"):
        choice = choice.answered(*choice.next_pair(), better)
    cli("new", "rocket", "--from", "rocket")
    choice.table.to_csv(tmp_path / "rocket.choices.csv", index=False)
    again = tr.choose(rocket, FREE, pd.read_csv(tmp_path / "rocket.choices.csv"))
    assert again.answers == choice.answers
    np.testing.assert_allclose(again.pairs, choice.pairs, atol=1e-9)
    free = [part for path, (a, b) in FREE.items() for part in ("--free", f"{path}={a}:{b}")]
    done = cli(
        "choose", "rocket.toml", *free, "--results", "--apply", "liked.toml", "--plot", "liked.png"
    )
    assert "Preferred after 3 pairs:" in done.stdout
    liked = tr.read_scenario(tmp_path / "liked.toml")
    assert liked.craft[0].rules[1].accel == again.preferred_scenario.craft[0].rules[1].accel
    assert (tmp_path / "liked.png").read_bytes().startswith(b"\x89PNG")
    for spoilt, message in (
        ("better,x\nfirst,2\n", "other numbers"),
        (choice.table.assign(better="maybe").to_csv(index=False), "one of first, second, same"),
        (choice.table.replace({choice.table.iloc[0, 0]: 9e6}).to_csv(index=False), "outside of"),
        (pd.concat([choice.table] * 101).to_csv(index=False), "303 answers are too many"),
        (
            choice.table.astype(object).replace({choice.table.iloc[0, 0]: "x"}).to_csv(index=False),
            "of an answer",
        ),
    ):
        (tmp_path / "rocket.choices.csv").write_text(spoilt)
        assert message in cli("choose", "rocket.toml", *free, "--results", ok=False).stderr


WRONG = {
    "no number is free": [],
    "at most six": [f"rocket.start.{name}=0:9" for name in ("x", "y", "vx", "vy", "spin")]
    + ["rocket.turn.rate=90:200", "rocket.thrust.accel=9:99"],
    "there is no ''": ["rocket.start"],
}


@pytest.mark.parametrize("message", WRONG)
def test_invalid_free_numbers_are_refused(message):
    with pytest.raises(tr.TinRocketError, match=message):
        tr.choose(tr.read_demo("rocket"), WRONG[message])
