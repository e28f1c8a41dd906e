"""What people call the channels, put down without a look at the program's word tables.

By language, alternatives with a bar between; every one of them means one channel to whoever reads
that language (general vocabulary of the trade, no source).
"""

from __future__ import annotations

from campaigns.attacking.later import LATER
from lean_trim.core.data.channels import Role

TIME = "time"
LANGUAGES = ("en", "abbreviated", "de", "fr", "es", "it", "pt", "pl", "ru", "ja", "zh")

_SAID: dict[Role | str, tuple[str, ...]] = {
    TIME: (
        "Time | Elapsed Time | Log Time | Seconds | Time Stamp | Session Time | Running Time",
        "t | ts | time | time_s | clk | tstamp",
        "Zeit | Messzeit | Zeitstempel | Laufzeit | Zeitpunkt",
        "Temps | Temps écoulé | Horodatage | Durée | Instant",
        "Tiempo | Tiempo transcurrido | Marca de tiempo | Instante",
        "Tempo | Tempo trascorso | Istante | Orario",
        "Tempo | Tempo decorrido | Instante | Carimbo de tempo",
        "Czas | Czas pomiaru | Znacznik czasu | Czas od startu",
        "Время | Время записи | Метка времени | Время от начала",
        "時間 | 経過時間 | 時刻 | 計測時間",
        "时间 | 时间戳 | 记录时间 | 经过时间",
    ),
    Role.RPM: (
        "Engine Speed | Engine RPM | Crank Speed | Crankshaft Speed | Revs | Engine Revs | "
        "Engine Revolutions | Tachometer",
        "RPM | n | nEng | eng_spd | EngN | N_eng | rpm_eng | engrpm",
        "Drehzahl | Motordrehzahl | Kurbelwellendrehzahl | Motordrehz. | Drehzahl Motor",
        "Régime | Régime moteur | Régime de rotation | Tours moteur | Vitesse de rotation du moteur",
        "RPM del motor | Régimen del motor | Velocidad del motor | Giros del motor | Revoluciones",
        "Giri | Regime motore | Giri motore | Numero di giri | Velocità di rotazione motore",
        "Rotação | Rotações do motor | RPM do motor | Regime do motor | Giro do motor",
        "Obroty | Prędkość obrotowa silnika | Obroty wału korbowego | Obroty silnika na minutę",
        "Обороты | Частота вращения | Частота вращения коленвала | Обороты ДВС",
        "回転数 | エンジン回転 | 機関回転数 | エンジン回転速度",
        "转速 | 发动机转速 | 引擎转速 | 曲轴转速",
    ),
    Role.MAP: (
        "Manifold Pressure | Intake Manifold Pressure | Inlet Manifold Pressure | Plenum Pressure | "
        "Manifold Abs Pressure | Intake Pressure | Inlet Pressure | Manifold Air Pressure",
        "MAP | p_man | pMan | p_intake | P_im | map_press | ManPress",
        "Saugrohrdruck | Ansaugrohrdruck | Saugrohrabsolutdruck | Ansaugdruck | Druck Saugrohr",
        "Pression admission | Pression collecteur | Pression collecteur d'admission | "
        "Pression tubulure admission",
        "Presión de admisión | Presión del múltiple | Presión absoluta del colector | "
        "Presión en el colector de admisión",
        "Pressione aspirazione | Pressione collettore di aspirazione | Pressione assoluta collettore",
        "Pressão de admissão | Pressão absoluta do coletor | Pressão do coletor de admissão",
        "Ciśnienie dolotu | Ciśnienie w kolektorze ssącym | Ciśnienie absolutne kolektora | "
        "Ciśnienie w dolocie",
        "ДАД | Давление во впуске | Абсолютное давление в коллекторе | Давление на впуске",
        "インマニ圧 | 吸気圧 | マニホールド圧力 | 吸気管絶対圧",
        "进气压力 | 歧管压力 | 进气歧管绝对压力 | 进气管压力",
    ),
    Role.THROTTLE: (
        "Throttle | Throttle Position | Throttle Opening | Throttle Angle | Throttle Plate | "
        "Throttle Valve Position",
        "TPS | thr | TP | throttle_pos | ThrPos | thrtl",
        "Drosselklappe | Drosselklappenstellung | Drosselklappenöffnung | Drosselkl. Winkel",
        "Papillon | Position papillon | Ouverture papillon | Angle papillon",
        "Mariposa | Apertura de mariposa | Ángulo de mariposa",
        "Farfalla | Apertura farfalla | Angolo farfalla",
        "Borboleta | Abertura da borboleta | Ângulo da borboleta | Posição do corpo de borboleta",
        "Przepustnica | Otwarcie przepustnicy | Kąt przepustnicy | Położenie przepustnicy",
        "Дроссель | Положение дроссельной заслонки | Открытие дросселя | Угол дросселя",
        "スロットル | スロットル開度 | スロットル位置",
        "节气门 | 节气门位置 | 节气门开度",
    ),
    Role.IAT: (
        "Intake Air Temp | Inlet Air Temperature | Intake Temperature | Air Temp | Charge Air Temp | "
        "Manifold Air Temperature | Air Charge Temperature",
        "IAT | T_int | tIntake | ACT | MAT | T_air | air_temp",
        "Ansauglufttemperatur | Lufttemperatur | Ansaugtemperatur | Saugrohrtemperatur | T Ansaugluft",
        "Température admission | Température air | Temp. air d'admission | Température d'air admis",
        "Temperatura de admisión | Temperatura del aire | Temp. aire de admisión",
        "Temperatura aspirazione | Temperatura aria | Temp. aria aspirata",
        "Temperatura de admissão | Temperatura do ar | Temp. ar de admissão",
        "Temperatura dolotu | Temperatura powietrza | Temperatura powietrza w dolocie",
        "Температура воздуха | Температура впуска | ДТВ | Температура впускного воздуха",
        "吸気温 | 吸気温度 | 吸入空気温度",
        "进气温度 | 进气温 | 进气空气温度",
    ),
    Role.COOLANT: (
        "Coolant Temp | Coolant Temperature | Engine Coolant Temp | Water Temp | Engine Temp | "
        "Water Temperature | Engine Water Temp",
        "ECT | CLT | T_cool | tCool | T_eng | T_H2O | coolant",
        "Kühlmitteltemperatur | Wassertemperatur | Motortemperatur | Kühlwassertemperatur | T Kühlmittel",
        "Température eau | Température liquide | Température moteur | Temp. eau moteur",
        "Temperatura del agua | Temperatura del refrigerante | Temperatura motor | Temp. refrigerante",
        "Temperatura acqua | Temperatura liquido refrigerante | Temperatura motore",
        "Temperatura da água | Temperatura do motor | Temp. líquido de arrefecimento",
        "Temperatura wody | Temperatura płynu | Temperatura silnika | Temp. cieczy chłodzącej",
        "Температура ОЖ | Температура двигателя | ДТОЖ | Температура антифриза",
        "水温 | 冷却水温 | エンジン水温",
        "水温 | 冷却液温度 | 发动机水温",
    ),
    Role.BATTERY: (
        "Battery Voltage | Battery | Supply Voltage | System Voltage | ECU Voltage | Battery Volts",
        "VBAT | u_bat | uBatt | Vbatt | V_sup | batt_v",
        "Batteriespannung | Bordspannung | Versorgungsspannung | Bordnetzspannung",
        "Tension batterie | Tension alimentation | Voltage batterie",
        "Tensión de batería | Voltaje batería | Tensión de alimentación",
        "Tensione batteria | Tensione alimentazione | Voltaggio batteria",
        "Tensão da bateria | Tensão de alimentação | Voltagem da bateria",
        "Napięcie akumulatora | Napięcie zasilania | Napięcie instalacji",
        "Напряжение АКБ | Напряжение питания | Бортовое напряжение",
        "バッテリ電圧 | 電源電圧 | バッテリー電圧",
        "电瓶电压 | 电池电压 | 供电电压",
    ),
    Role.LAMBDA: (
        "Lambda | Measured Lambda | Wideband Lambda | Lambda Sensor | Lambda Value | Actual Lambda | "
        "Exhaust Lambda | Air Fuel Ratio Lambda Measured",
        "lam | lambda_meas | lamAct | WB_lambda | lambda1 | uego_lambda | lam_pv",
        "Lambda | Lambda Ist | Lambdawert | Luftzahl | Lambda gemessen | Luftverhältnis Ist",
        "Lambda | Lambda mesuré | Lambda réel | Valeur lambda | Lambda sonde large bande",
        "Lambda | Lambda medida | Lambda real | Valor lambda | Lambda sonda banda ancha",
        "Lambda | Lambda misurata | Lambda reale | Valore lambda | Lambda sonda larga banda",
        "Lambda | Lambda medida | Lambda real | Valor lambda | Lambda sonda banda larga",
        "Lambda | Lambda zmierzona | Lambda rzeczywista | Wartość lambda",
        "Лямбда | Лямбда факт | Измеренная лямбда | Коэффициент избытка воздуха",
        "空気過剰率 | 実ラムダ | ラムダ | 実測ラムダ",
        "过量空气系数 | 实际lambda | 实测λ | λ实际值",
    ),
    Role.TARGET: (
        "Target Lambda | Lambda Target | Desired Lambda | Commanded Lambda | Lambda Setpoint | "
        "Requested Lambda | Lambda Command | Lambda Set Point | Lambda Demand",
        "lam_tgt | lambda_cmd | lamDes | lambda_sp | lam_req | tgt_lambda | lambda_soll",
        "Lambda Soll | Lambdasollwert | Ziellambda | Lambda Vorgabe | Sollluftzahl",
        "Lambda cible | Consigne lambda | Lambda demandé | Lambda commandé",
        "Lambda objetivo | Lambda deseada | Consigna lambda | Lambda solicitada",
        "Lambda obiettivo | Lambda target | Lambda richiesta | Lambda desiderata",
        "Lambda alvo | Lambda desejada | Lambda comandada | Lambda objetivo",
        "Lambda zadana | Lambda docelowa | Cel lambda | Żądana lambda",
        "Лямбда целевая | Заданная лямбда | Лямбда задание | Желаемая лямбда",
        "目標空気過剰率 | 目標ラムダ | 要求ラムダ | ラムダ目標値",
        "目标过量空气系数 | 目标lambda | λ目标值 | 期望λ",
    ),
    Role.STFT: (
        "Short Term Fuel Trim | Short Term Trim | Short Fuel Trim | Short Term Correction | "
        "Fuel Trim Short Term | Lambda Feedback Correction | Closed Loop Correction",
        "STFT | stft1 | st_trim | fuel_trim_st | STFT_B1 | ShortFT | lam_fb_corr",
        "Kurzzeittrimm | Kurzzeit-Kraftstofftrim | Kraftstoffkorrektur kurz | Kurzzeitkorrektur",
        "Correction court terme | Correction carburant court terme | Trim court terme",
        "Ajuste corto plazo | Corrección a corto plazo | Ajuste de combustible a corto",
        "Correzione breve termine | Trim carburante breve | Correzione a breve termine",
        "Ajuste curto prazo | Correção de curto prazo | Trim de combustível curto",
        "Korekta krótkoterminowa | Krótkoterminowa korekta paliwa | Krótka korekta dawki paliwa",
        "Краткосрочная коррекция | Кратковременная коррекция топлива | Коррекция краткосрочная",
        "短期補正 | 短期燃料トリム | 燃料補正短期",
        "短期修正 | 短期燃油修正 | 短期燃油调整",
    ),
    Role.LTFT: (
        "Long Term Fuel Trim | Long Term Trim | Long Fuel Trim | Long Term Correction | "
        "Fuel Trim Long Term | Learned Fuel Trim",
        "LTFT | ltft1 | lt_trim | fuel_trim_lt | LTFT_B1 | LongFT",
        "Langzeittrimm | Langzeit-Kraftstofftrim | Kraftstoffkorrektur lang | Langzeitkorrektur",
        "Correction long terme | Correction carburant long terme | Trim long terme",
        "Ajuste largo plazo | Corrección a largo plazo | Ajuste de combustible a largo",
        "Correzione lungo termine | Trim carburante lungo | Correzione a lungo termine",
        "Ajuste longo prazo | Correção de longo prazo | Trim de combustível longo",
        "Korekta długoterminowa | Długoterminowa korekta paliwa | Długa korekta dawki paliwa",
        "Долгосрочная коррекция | Долговременная коррекция топлива | Коррекция долгосрочная",
        "長期補正 | 長期燃料トリム | 燃料補正長期",
        "长期修正 | 长期燃油修正 | 长期燃油调整",
    ),
    Role.CLOSED_LOOP: (
        "Closed Loop | Closed Loop Active | Loop Status | Fuel Loop State | Lambda Control Active",
        "CL | cl_active | loop_state | ClsdLoop | CL_flag",
        "Regelkreis geschlossen | Lambdaregelung aktiv | Closed Loop | Lambdaregelung",
        "Boucle fermée | Régulation lambda active | Boucle fermée active",
        "Lazo cerrado | Bucle cerrado | Regulación lambda activa",
        "Anello chiuso | Ciclo chiuso | Regolazione lambda attiva",
        "Malha fechada | Circuito fechado | Regulação lambda ativa",
        "Pętla zamknięta | Regulacja lambda aktywna",
        "Замкнутый контур | Обратная связь активна | Лямбда-регулирование активно",
        "クローズドループ | 閉ループ制御 | フィードバック制御中",
        "闭环 | 闭环控制 | 闭环状态",
    ),
    Role.PULSE_WIDTH: (
        "Injector Pulse Width | Injection Pulse Width | Injector Pulsewidth | Injector Duration | "
        "Injection Time | Fuel Pulse Width | Injector On Time | Injector Open Time",
        "PW | ipw | t_inj | tInj | inj_pw | InjDur | inj_ms | pw1",
        "Einspritzzeit | Einspritzdauer | Einspritzventil Öffnungsdauer | Ti | Einspritzimpulsdauer",
        "Temps d'injection | Durée d'injection | Temps ouverture injecteurs",
        "Tiempo de inyección | Ancho de pulso inyector | Duración de inyección",
        "Tempo di iniezione | Durata iniezione | Tempo apertura iniettori",
        "Tempo de injeção | Largura de pulso do injetor | Duração da injeção",
        "Czas wtrysku | Czas otwarcia wtryskiwacza | Długość wtrysku",
        "Время впрыска | Длительность впрыска | Время открытия форсунок",
        "噴射時間 | インジェクタ通電時間 | 燃料噴射パルス幅",
        "喷油时间 | 喷油脉宽 | 喷射持续时间",
    ),
    Role.BARO: (
        "Barometer | Barometric Pressure | Atmospheric Pressure | Ambient Pressure | Baro Pressure",
        "BARO | p_amb | pAtm | p_baro | Pamb | atm_press",
        "Umgebungsdruck | Luftdruck | Atmosphärendruck | Außendruck",
        "Pression atmosphérique | Pression ambiante | Baromètre",
        "Presión atmosférica | Presión barométrica | Presión ambiente",
        "Pressione atmosferica | Pressione barometrica | Pressione ambiente",
        "Pressão atmosférica | Pressão barométrica | Pressão ambiente",
        "Ciśnienie atmosferyczne | Ciśnienie otoczenia | Ciśnienie barometryczne",
        "Атмосферное давление | Барометрическое давление | Давление окружающей среды",
        "大気圧 | 外気圧 | 気圧",
        "大气压 | 大气压力 | 环境压力",
    ),
    Role.SPEED: (
        "Vehicle Speed | Road Speed | Ground Speed | Car Speed | Speed",
        "VSS | v_veh | vVeh | veh_spd | speed",
        "Geschwindigkeit | Fahrgeschwindigkeit | Fahrzeuggeschwindigkeit",
        "Vitesse | Vitesse véhicule | Vitesse du véhicule",
        "Velocidad | Velocidad del vehículo | Velocidad del coche",
        "Velocità | Velocità veicolo | Velocità vettura",
        "Velocidade | Velocidade do veículo | Velocidade do carro",
        "Prędkość | Prędkość pojazdu | Prędkość jazdy",
        "Скорость | Скорость автомобиля | Скорость движения",
        "車速 | 車両速度",
        "车速 | 车辆速度",
    ),
    Role.SPARK: (
        "Spark Advance | Ignition Timing | Ignition Advance | Ignition Angle | Timing Advance",
        "IGN | adv | spk_adv | ign_ang | ignTiming",
        "Zündwinkel | Zündzeitpunkt | Vorzündung",
        "Avance allumage | Avance à l'allumage | Angle d'allumage",
        "Avance de encendido | Ángulo de encendido | Avance encendido",
        "Anticipo accensione | Anticipo di accensione | Angolo accensione",
        "Avanço de ignição | Ponto de ignição | Ângulo de ignição",
        "Kąt wyprzedzenia zapłonu | Wyprzedzenie zapłonu | Kąt zapłonu",
        "УОЗ | Угол опережения зажигания | Опережение зажигания",
        "点火時期 | 点火進角",
        "点火提前角 | 点火角 | 点火正时",
    ),
    Role.FUEL_DP: (
        "Fuel Pressure Differential | Differential Fuel Pressure | Fuel Pressure Delta | "
        "Injector Differential Pressure",
        "fuel_dp | dpFuel | FP_diff | fuel_press_diff",
        "Kraftstoffdruck Differenz | Kraftstoff-Differenzdruck | Differenzdruck Kraftstoff",
        "Pression carburant différentielle | Différentiel pression carburant",
        "Presión diferencial de combustible | Diferencial presión combustible",
        "Pressione differenziale carburante | Differenza pressione carburante",
        "Pressão diferencial de combustível | Diferencial de pressão combustível",
        "Różnica ciśnienia paliwa | Ciśnienie różnicowe paliwa",
        "Перепад давления топлива | Дифференциальное давление топлива",
        "燃料差圧 | 燃料圧力差",
        "燃油压差 | 燃油压力差",
    ),
    Role.MAF_HZ: (
        "Mass Air Flow Frequency | MAF Frequency | Air Flow Sensor Frequency | Airflow Meter Frequency",
        "MAF_freq | maf_hz | fMAF | f_maf",
        "Luftmassenmesser Frequenz | LMM Frequenz | Frequenz Luftmassenmesser",
        "Fréquence débitmètre | Fréquence débitmètre d'air",
        "Frecuencia MAF | Frecuencia del caudalímetro",
        "Frequenza debimetro | Frequenza misuratore massa aria",
        "Frequência MAF | Frequência do medidor de massa de ar",
        "Częstotliwość przepływomierza | Częstotliwość MAF",
        "Частота ДМРВ | Частота расходомера воздуха",
        "エアフロ周波数 | エアフロメーター周波数",
        "空气流量计频率 | MAF频率",
    ),
}


def names_of(role: Role | str, language: str, later: bool = False) -> tuple[str, ...]:
    """What a channel is called in a language, here or in the vocabularies put down later."""
    said = LATER if later else _SAID
    return tuple(n.strip() for n in said[role][LANGUAGES.index(language)].split("|"))


ROLES = tuple(_SAID)
