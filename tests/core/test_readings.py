"""Words that are written alike and said in several ways: English heteronyms, Mandarin's tones, Japanese kanji."""

from __future__ import annotations

import pytest

from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.mandarin import _syllables
from janoglot.core.speech.engines.rich import RichEngine

# The word in its sentence, and what of its sounds tells this reading from the other.
HETERONYMS = """
read | I read that book last year. | ɛd
read | You should read the letter aloud. | iːd
read | She has read it twice. | ɛd
lead | The pipes are made of lead. | ɛd
lead | They lead us to the harbour. | iːd
lead | A lead weight drives the clock. | ɛd
live | They live by the sea. | ɪv
live | We heard a live broadcast. | aɪv
close | Please close the door. | oʊz
close | The boat is close to the wall. | oʊs
close | Come in and close the hatch. | oʊz
wind | The wind is cold tonight. | ɪnd
wind | Who will wind the clock? | aɪnd
wind | You must wind it every morning. | aɪnd
winds | Who would wind a clock that the sea winds for us? | aɪndz
winds | The winds are cold here. | ɪndz
tear | A tear ran down her face. | ɪɹ
tear | Do not tear the paper. | ɛɹ
bow | The bow of the boat was broken. | aʊ
bow | He tied a bow in her hair. | oʊ
row | They had a terrible row last night. | aʊ
row | We sat in the front row. | oʊ
use | There is no use in waiting. | uːs
use | You can use my boat. | uːz
house | The house is empty. | aʊs
house | They house the old boats here. | aʊz
excuse | That is a poor excuse. | uːs
excuse | Please excuse my brother. | uːz
present | He gave me a present. | pɹˈɛz
present | We will present the prize today. | ˈɛnt
record | The record is broken. | ɹˈɛk
record | We must record her voice. | kˈo
object | What is that strange object? | ˈɑːb
object | They object to the plan. | ˈɛkt
refuse | I refuse to go. | ˈuːz
refuse | The refuse is collected on Monday. | ɹˈɛf
minute | Wait a minute. | mˈɪnɪt
minute | There was a minute crack in the glass. | ˈuːt
desert | The desert is dry. | dˈɛz
desert | Do not desert your friends. | ˈɜː
content | She was content with the answer. | ˈɛnt
content | The content of the box is secret. | kˈɑːn
permit | You need a permit. | pˈɜː
permit | They do not permit it. | ˈɪt
wound | The wound is deep. | uːnd
wound | He wound the clock yesterday. | aʊnd
separate | We have separate rooms. | ət
separate | Please separate the two boats. | eɪt
estimate | That is a good estimate. | ət
estimate | They estimate the cost. | eɪt
project | The project is late. | pɹˈɑː
project | They project the film on a wall. | ˈɛkt
conduct | She will conduct the choir. | ˈʌkt
conduct | His conduct was poor. | kˈɑːn
rebel | The rebel was caught. | ɹˈɛb
rebel | They rebel against it. | ˈɛl
perfect | That is perfect. | pˈɜː
perfect | We must perfect the machine. | ˈɛkt
polish | Please polish the brass. | pˈɑːl
Polish | She is Polish. | pˈoʊl
"""

# Minimal pairs, and words whose tones change beside each other.
TONES = """
买 mai3 | 卖 mai4 | 汤 tang1 | 糖 tang2 | 躺 tang3 | 烫 tang4 | 妈 ma1 | 麻 ma2 | 马 ma3 | 骂 ma4 | 书 shu1 | 熟 shu2 | 鼠 shu3
| 树 shu4 | 花 hua1 | 滑 hua2 | 话 hua4 | 通知 tong1 zhi1 | 同志 tong2 zhi4 | 统治 tong3 zhi4 | 山西 shan1 xi1 | 陕西 shan3 xi1
| 水饺 shui2 jiao3 | 睡觉 shui4 jiao4 | 北京 bei3 jing1 | 背景 bei4 jing3 | 老师 lao3 shi1 | 老实 lao3 shi5 | 眼睛 yan3 jing5
| 眼镜 yan3 jing4 | 东西 dong1 xi5 | 你好 ni2 hao3 | 很好 hen2 hao3 | 老虎 lao2 hu3 | 可以 ke2 yi3 | 水果 shui2 guo3
| 展览馆 zhan2 lan2 guan3 | 洗澡 xi2 zao3 | 雨伞 yu2 san3 | 小鸟 xiao2 niao3 | 一个 yi2 ge4 | 一天 yi4 tian1 | 一年 yi4 nian2
| 一起 yi4 qi3 | 一定 yi2 ding4 | 一样 yi2 yang4 | 第一 di4 yi1 | 十一 shi2 yi1 | 不是 bu2 shi4 | 不去 bu2 qu4 | 不对 bu2 dui4
| 不好 bu4 hao3 | 不来 bu4 lai2 | 不听 bu4 ting1 | 银行 yin2 hang2 | 行走 xing2 zou3 | 长大 zhang3 da4 | 很长 hen3 chang2
| 重要 zhong4 yao4 | 重复 chong2 fu4 | 音乐 yin1 yue4 | 快乐 kuai4 le4 | 还有 hai2 you3 | 归还 gui1 huan2 | 首都 shou3 du1
| 都是 dou1 shi4 | 朋友 peng2 you5 | 妈妈 ma1 ma5
"""

KANJI = """
今日は雨です キョー | 明日また来ます アシタ | 昨日見ました キノー | 大人がいる オトナ | 二人で フタリ | 一人で行く ヒトリ | 上手に話す ジョーズ
| 下手な字 ヘタ | 時計が古い トケー | 生ビール ナマ | 学生が来た ガクセー | 生きている イキ | 生まれた町 ウマレ | 人気がある店 ニンキ | 三人で待つ サンニン
| 日本人の客 ニホンジン | 空が青い ソラ | 一日中雨 イチニチ | 二日前 フツカ | 十日かかる トーカ | 四月に行く シガツ | 九時に開く クジ | 七時に着く シチジ
| 今年の冬 コトシ | 去年の冬 キョネン | 海辺の家 ウミベ | 家族の写真 カゾク | 我が家に帰る ワガヤ | 行った道 イッタ | 行う予定 オコナウ | 間に合う マニアウ
| 人間の声 ニンゲン | 時間がない ジカン | 風邪をひく カゼ | 台風が来る タイフー | お父さんの本 オトーサン | 母の声 ハハ | 部屋に入る ハイル | 入口はどこ イリグチ
| 小さな船 フネ | 船長が言う センチョー | 水の音 オト | 音楽を聞く オンガク | 重い扉 オモイ | 体重を量る タイジュー | 高い波 タカイ | 最高の日 サイコー
| 手紙を書く テガミ | 歌手の声 カシュ
"""


def rows(table: str, by: str) -> list[list[str]]:
    return [[part.strip() for part in row.split(by)] for row in table.strip().splitlines()]


def cells(table: str) -> list[list[str]]:
    return [cell.strip().split(" ", 1) for cell in " ".join(table.split("\n")).split("|")]


@pytest.mark.parametrize(("word", "sentence", "sound"), rows(HETERONYMS, "|"))
def test_english_heteronyms_in_context(word: str, sentence: str, sound: str) -> None:
    engine = engine_named("rich")
    assert isinstance(engine, RichEngine)
    # Some words are said as one with those beside them.
    (said,) = [one.ipa for one in engine.said(sentence, "en-US")
               if word in sentence[one.at: one.at + one.length].strip(".,?").split()]
    assert sound in said


def test_a_heteronym_is_another_take_and_no_other_word_is() -> None:
    engine = engine_named("rich")
    assert engine.reading("en-GB", "Who read the letter?") and engine.reading("en-GB", "CLOSE the hatch.")
    assert not engine.reading("en-GB", "Mind the third step, reader of books.")
    assert engine.reading("zh-CN", "我的朋友") and not engine.reading("zh-CN", "船来了")


@pytest.mark.parametrize(("words", "tones"), cells(TONES))
def test_mandarin_tones(words: str, tones: str) -> None:
    pytest.importorskip("pypinyin")
    assert " ".join(_syllables(words)) == tones


@pytest.mark.parametrize(("sentence", "reading"), cells(KANJI))
def test_japanese_kanji_by_their_neighbours(sentence: str, reading: str) -> None:
    pyopenjtalk = pytest.importorskip("pyopenjtalk")
    nodes = pyopenjtalk.run_frontend(sentence, use_sudachi_kanji_yomi=False)
    assert reading in "".join(node["pron"].replace("’", "") for node in nodes)
