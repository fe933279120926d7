"""The Paste stage over HTTP."""

from fastapi.testclient import TestClient

from yellowfen.workflows.demo import demo_files


def test_the_best_foil_is_shown_first_and_others_are_judged(client: TestClient) -> None:
    page = client.get("/jobs/1/paste").text
    assert "Every opening comes out right at 0.13 mm" in page
    thick = client.get("/jobs/1/paste?foil=0,15&side=bottom").text
    assert "17 of 212 openings do not come out right at 0.15 mm; 0.13 mm does better" in thick
    assert '<b class="ref">U3</b>' in thick
    assert "17 openings, fat" in thick
    assert "U2 from the side" in thick
    assert "IPC-7525" in thick
    assert 'href="/jobs/1/paste"' in client.get("/jobs/1/heat").text


def test_absurd_foils_get_a_sentence_and_the_form_back(client: TestClient) -> None:
    for typed, said in (("7", "foil_mm: 7 mm is outside 0.03 to 0.5"), ("thin", "is not a number of mm"), ("nan", "foil_mm")):
        reply = client.get(f"/jobs/1/paste?foil={typed}")
        assert reply.status_code == 422
        assert said in reply.text
        assert f'value="{typed}"' in reply.text
    assert client.get("/jobs/1/paste?paste=gold").status_code == 422
    assert client.get("/jobs/99/paste").status_code == 404


def test_a_board_without_paste_layer_says_what_to_do(client: TestClient) -> None:
    files = [("files", pair) for pair in demo_files().items() if "paste" not in pair[0]]
    client.post("/boards", files=files)
    job = client.post("/boards/2/jobs").url.path.split("/")[2]
    assert "has no stencil openings" in client.get(f"/jobs/{job}/paste").text
