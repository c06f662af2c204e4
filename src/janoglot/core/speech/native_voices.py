"""The rich voices that speak their own language: each a blend of readers of it, with a shaping of its own.

The readers' styles are fetched at set-up, and optional (``docs/voices.md``). Where a language has few readers, one of a
neighbouring language has a share; how native each voice sounds is measured.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from janoglot.core.speech.engines.base import Shaping

ACCENTS = {"en-US": "United States", "en-GB": "England", "es-ES": "España", "es-MX": "México", "fr-FR": "France",
           "it-IT": "Italia", "pt-BR": "Brasil", "hi-IN": "भारत", "zh-CN": "普通话"}

# name, age, Hz, tract, tilt in dB, breath, roughness, tempo, melody, the readers and their shares
_TABLE = """
en-US
Nighthawk    60s    91 0.95 -2    0 0.2 0.95 0.95  am_onyx6 am_michael4
Loon         70s    94 0.92 -4 0.15 0.5  0.9 1.05  am_santa6 am_michael4
Anhinga      50s   103 0.95 -3    0   0 0.97 0.95  am_adam6 am_eric4
Merganser    40s   105    1  0    0   0    1    1  am_michael
Flicker      30s   118 1.01  3    0   0 1.02 1.05  am_liam5 am_michael5
Meadowlark   30s   124    1  2    0   0    1    1  am_fenrir
Dickcissel   20s   119 1.04  3    0   0 1.05 1.15  am_puck
Towhee       20s   142 1.07 -4    0   0 1.03  1.1  am_puck8 am_echo2
Vireo        20s   135 1.06  4    0   0 1.04  1.1  am_liam5 am_echo5
Sora         60s   124 0.95 -2  0.1 0.3 0.93    1  am_fenrir5 am_eric5
Kinglet      teen  163 1.14  3    0   0 1.05 1.15  am_puck5 am_liam5
Mockingbird  30s   185    1  0    0   0    1    1  af_heart
Cardinal     40s   180 0.98 -2    0   0    1    1  af_bella
Thrasher     50s   148 0.94 -6  0.1   0 0.97 0.95  af_sarah6 af_heart4
Waterthrush  30s   160    1  2    0   0    1    1  af_nova6 af_heart4
Junco        40s   157 0.98  2    0   0 1.02    1  af_river6 af_kore4
Pewee        20s   196 1.06  4    0   0 1.03  1.1  af_aoede7 af_river3
Goldeneye    20s   222 1.05 -2    0   0 1.04 1.15  af_bella6 af_sky4
Bufflehead   60s   144 0.93 -5 0.15 0.3 0.93    1  af_alloy5 af_river5
Dovekie      70s   160 0.94  0 0.15 0.6 0.92  1.1  af_sarah5 af_nicole5
Titmouse     teen  221 1.12  3    0   0 1.05 1.15  af_heart6 af_bella4
Gnatcatcher  child 248 1.22  3    0   0 1.02  1.2  af_aoede5 af_heart5

en-GB
Buzzard      60s    92 0.93 -4    0 0.2 0.94 0.95  bm_lewis
Fulmar       70s   110 0.92  2  0.2 0.6  0.9  1.1  bm_fable6 bm_lewis4
Gadwall      50s   112 0.96 -6    0   0 0.97 0.95  bm_george7 bm_daniel3
Snipe        40s   106 0.99  1    0   0    1    1  bm_fable
Hobby        40s   127    1  0    0   0    1    1  bm_george
Garganey     30s   124 1.02  5    0   0 1.02    1  bm_daniel
Yellowhammer 20s   133 1.05  3    0   0 1.05 1.15  bm_fable6 bm_daniel4
Chiffchaff   teen  177 1.14  3    0   0 1.05 1.15  bm_fable5 bm_george5
Blackcap     30s   176    1  0    0   0    1    1  bf_emma
Nightingale  40s   178 0.98 -2    0   0    1    1  bf_isabella6 bf_emma4
Kittiwake    50s   150 0.95 -5  0.1   0 0.97 0.95  bf_isabella7 bf_lily3
Goldfinch    20s   206 1.04  3    0   0 1.04  1.1  bf_emma6 bf_alice4
Bluethroat   20s   182 1.03 -1    0   0 1.02  1.1  bf_lily6 bf_emma4
Shelduck     60s   164 0.93 -2 0.15 0.4 0.93    1  bf_alice6 bf_isabella4
Treecreeper  teen  232 1.13  3    0   0 1.04 1.15  bf_emma5 bf_alice5
Hawfinch     child 264 1.22  3    0   0 1.02  1.2  bf_isabella5 bf_emma5

es-ES
Vencejo      60s   100 0.93 -3    0 0.2 0.95 0.95  em_alex7 im_nicola3
Ruisenor     40s   116 0.99  0    0   0    1    1  em_alex
Gorrion      20s   138 1.05  3    0   0 1.04  1.1  em_alex8 em_santa2
Mirlo        40s   149 0.98 -2    0   0    1    1  ef_dora
Ciguena      70s   156 0.92  2 0.25 0.7 0.92 1.05  ef_dora6 em_santa4
Petirrojo    20s   197 1.05  3    0   0 1.03  1.1  ef_dora8 if_sara2

es-MX
Zopilote     50s   112 0.96 -6    0   0 0.97 0.95  em_santa6 pm_santa4
Tecolote     30s   126 1.03  5    0   0 1.02    1  em_santa5 im_nicola5
Urraca       30s   167 1.01  2    0   0 1.02    1  ef_dora
Chara        50s   144 0.93 -6  0.1 0.2 0.96 0.95  ef_dora6 if_sara4
Chipe        teen  232 1.12  3    0   0 1.05 1.15  ef_dora8 pf_dora2
Zorzalito    child 276 1.24  4    0   0 1.02  1.2  ef_dora6 pf_dora4

fr-FR
Hulotte      60s    98 0.92 -3    0 0.2 0.95 0.95  ff_siwis5 im_nicola5
Corbeau      50s   104 0.96 -5    0   0 0.98 0.95  ff_siwis6 pm_santa4
Courlis      40s   123 0.98  3    0   0    1    1  ff_siwis6 im_nicola4
Bouvreuil    30s   141 0.99  3    0   0 1.02 1.05  ff_siwis6 em_alex4
Martinet     20s   166 1.04  5    0   0 1.04  1.1  ff_siwis6 bm_george4
Rossignol    30s   192    1  0    0   0    1    1  ff_siwis
Hirondelle   20s   217 1.05  3    0   0 1.03  1.1  ff_siwis8 if_sara2
Corneille    60s   167 0.95 -4  0.1 0.3 0.94 0.95  ff_siwis8 bf_emma2
Alouette     teen  244 1.13  3    0   0 1.04 1.15  ff_siwis8 if_sara2
Sittelle     child 278 1.22  3    0   0 1.02  1.2  ff_siwis8 ef_dora2

it-IT
Civetta      60s    82 0.94 -3    0 0.2 0.95 0.95  im_nicola
Gheppio      50s    97 0.95 -6    0   0 0.98 0.95  im_nicola6 pm_santa4
Merlo        40s   104    1  1    0   0    1    1  im_nicola
Codirosso    30s   115 1.03  3    0   0 1.02 1.05  im_nicola7 em_alex3
Cardellino   20s   142 1.06  3    0   0 1.04  1.1  im_nicola6 em_alex4
Usignolo     30s   193    1  0    0   0    1    1  if_sara
Tortora      60s   165 0.95 -4  0.1 0.3 0.94 0.95  if_sara8 im_nicola2
Allodola     40s   165 0.98 -2    0   0    1    1  if_sara8 ef_dora2
Pettirosso   20s   216 1.06  3    0   0 1.03  1.1  if_sara8 ff_siwis2
Cinciallegra child 273 1.22  3    0   0 1.02  1.2  if_sara8 ff_siwis2

pt-BR
Urubu        60s    99 0.92 -3    0 0.2 0.95 0.95  pm_alex5 pm_santa5
Saracura     50s   123 0.97 -6    0   0 0.98 0.95  pm_santa8 em_santa2
Canario      40s   120    1  1    0   0    1    1  pm_alex
Coleiro      20s   146 1.05  4    0   0 1.03  1.1  pm_alex
Bemtevi      30s   138 1.02  1    0   0 1.02 1.05  pm_santa
Uirapuru     30s   163    1  0    0   0    1    1  pf_dora
Rolinha      60s   156 0.94 -1  0.2 0.5 0.94 0.95  pf_dora6 pm_alex4
Sanhaco      40s   150 0.98 -5    0   0    1    1  pf_dora7 if_sara3
Jandaia      20s   201 1.06  3    0   0 1.03  1.1  pf_dora8 if_sara2
Gaturamo     child 272 1.22  3    0   0 1.02  1.2  pf_dora7 ef_dora3

hi-IN
Ullu         60s   103 0.94 -3    0 0.2 0.95 0.95  hm_omega6 hm_psi4
Sarus        50s   116 0.97 -7    0 0.3 0.98 0.95  hm_psi
Chakor       40s   117    1  1    0   0    1    1  hm_omega
Shikra       30s   122    1  2    0   0 1.02    1  hm_psi
Titar        20s   146 1.05  3    0   0 1.04  1.1  hm_psi6 hm_omega4
Papiha       30s   186    1  0    0   0    1    1  hf_alpha
Batakh       60s   160 0.93 -6  0.1 0.3 0.94 0.95  hf_alpha6 hf_beta4
Kabutar      40s   174 0.98 -1    0   0    1    1  hf_beta
Gauraiya     20s   214 1.05  3    0   0 1.03  1.1  hf_alpha6 hf_beta4
Phudki       child 289 1.22  3    0   0 1.02  1.2  hf_alpha7 hf_beta3

zh-CN
Wuya         60s    93 0.94 -3    0 0.2 0.95 0.95  zm_yunjian6 zm_yunyang4
Xianhe       70s   119 0.93  2  0.2 0.6 0.92 1.05  zm_yunyang7 zm_yunxi3
Cangying     50s    97 0.97 -3    0   0 0.98 0.95  zm_yunyang
Zhegu        40s   109    1  1    0   0    1    1  zm_yunjian
Dujuan       20s   130 1.04  3    0   0 1.03  1.1  zm_yunxi6 zm_yunyang4
Bailu        30s   132    1  0    0   0    1    1  zm_yunxi
Huangli      30s   212    1  0    0   0    1    1  zf_xiaoxiao
Yuanyang     50s   174 0.95 -6  0.1 0.2 0.96 0.95  zf_xiaoxiao5 zf_xiaoni5
Yeying       40s   211 0.98 -2    0   0    1    1  zf_xiaobei
Haiou        20s   213 1.04  3    0   0 1.03  1.1  zf_xiaoni6 zf_xiaoyi4
Huangque     teen  251 1.12  2    0   0 1.03  1.1  zf_xiaoyi6 zf_xiaobei4
Yunque       child 284 1.22  3    0   0 1.02 1.15  zf_xiaoyi6 zm_yunxia4
"""


@dataclass(frozen=True, slots=True)
class NativeVoice:
    """``shares`` has how much of each style is in it."""

    name: str
    locale: str
    age: str
    shaping: Shaping
    shares: dict[str, int]

    @property
    def base(self) -> str:
        return " ".join(f"{style}={share}" for style, share in self.shares.items())


def native_voices() -> Iterator[NativeVoice]:
    """Every one that there could be, whether its styles are here or not; by locale, in the order of the table."""
    locale = ""
    for row in filter(None, _TABLE.splitlines()):
        fields = row.split()
        if len(fields) == 1:
            locale = row
            continue
        name, age, *numbers = fields[:9]
        hertz, tract, tilt, breath, roughness, tempo, melody = map(float, numbers)
        shares = {one.rstrip("0123456789"): int(one.lstrip("abcdefghijklmnopqrstuvwxyz_") or 1) for one in fields[9:]}
        yield NativeVoice(name, locale, age, Shaping(hertz, melody, tract, tilt, breath, roughness, tempo), shares)
