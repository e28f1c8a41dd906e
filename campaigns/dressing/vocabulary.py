"""Names of channels as loggers in ten languages write them (general vocabulary, invented combinations)."""

from __future__ import annotations

from lean_trim.core.data.channels import Role

Names = dict[Role | str, str]
TIME = "time"
ORDER: tuple[Role | str, ...] = (
    TIME,
    Role.RPM,
    Role.MAP,
    Role.THROTTLE,
    Role.IAT,
    Role.COOLANT,
    Role.BATTERY,
    Role.LAMBDA,
    Role.TARGET,
    Role.STFT,
    Role.LTFT,
    Role.CLOSED_LOOP,
    Role.PULSE_WIDTH,
    Role.BARO,
    Role.SPEED,
    Role.SPARK,
    Role.KNOCK,
    Role.FUEL_DP,
)
EXTRA: tuple[Role, ...] = (Role.MAF_HZ,)
"""Channels only some cars have."""


def _names(text: str) -> Names:
    words = [w.strip() for w in text.strip().split("|")]
    return dict(zip(ORDER, words, strict=True))


NAMES: dict[str, Names] = {
    "plain": _names(
        "Time | Engine Speed | Manifold Pressure | Throttle | Intake Air Temp | Coolant Temp | "
        "Battery | Wideband | Target Lambda | Short Term Trim | Long Term Trim | Closed Loop | "
        "Injector Pulse Width | Barometer | Vehicle Speed | Spark Advance | Knock Retard | Fuel "
        "Pressure Diff"
    ),
    "short": _names(
        "t | RPM | MAP | TPS | IAT | ECT | VBAT | LAMBDA | LAMBDA_TGT | STFT | LTFT | CL | PW | "
        "BARO | VSS | IGN | KR | FP_DIFF"
    ),
    "camel": _names(
        "TimeStamp | EngineSpeed | ManifoldAbsolutePressure | ThrottlePosition | "
        "IntakeAirTemperature | EngineCoolantTemperature | BatteryVoltage | LambdaMeasured | "
        "LambdaTarget | ShortTermFuelTrim | LongTermFuelTrim | ClosedLoopActive | "
        "InjectorPulseWidth | BarometricPressure | VehicleSpeed | IgnitionAdvance | KnockRetard | "
        "FuelPressureDelta"
    ),
    "dotted": _names(
        "log.time | engine.speed | intake.manifold.pressure | throttle.position | intake.air.temp "
        "| coolant.temp | battery.voltage | lambda.actual | lambda.desired | fuel.trim.short | "
        "fuel.trim.long | fuel.closed_loop | injector.pulse_width | ambient.pressure | "
        "vehicle.speed | spark.advance | "
        "knock.retard | fuel.rail.pressure"
    ),
    "J1979": _names(
        "Time | Engine RPM | Intake Manifold Absolute Pressure | Absolute Throttle Position | "
        "Intake Air Temperature | Engine Coolant Temperature | Control Module Voltage | "
        "Equivalence Ratio Lambda Bank 1 Sensor 1 | Commanded Equivalence Ratio | "
        "Short Term Fuel Trim - Bank 1 | Long Term Fuel Trim - Bank 1 | Fuel System Status | "
        "Injection Pulse Width | Barometric Pressure | Vehicle Speed | Ignition Timing Advance | "
        "Knock Retard | Fuel Rail Pressure"
    ),
    "de": _names(
        "Zeit | Motordrehzahl | Saugrohrdruck | Drosselklappenwinkel | Ansauglufttemperatur | "
        "Kühlmitteltemperatur | Batteriespannung | Lambda Istwert | Lambda Sollwert | "
        "Kurzzeit-Trim | Langzeit-Trim | Regelkreis geschlossen | Einspritzzeit | Umgebungsdruck "
        "| Fahrgeschwindigkeit | Zündwinkel | Klopfrücknahme | Kraftstoffdruck Differenz"
    ),
    "fr": _names(
        "Temps | Régime moteur | Pression collecteur | Position papillon | Température air "
        "admission | Température liquide refroidissement | Tension batterie | Richesse mesurée | "
        "Richesse cible | Correction richesse court terme | Correction richesse long terme | "
        "Boucle fermée | Temps d'injection | Pression atmosphérique | Vitesse véhicule | Avance "
        "allumage | Retrait cliquetis | Pression carburant différentielle"
    ),
    "es": _names(
        "Tiempo | Revoluciones del motor | Presión del colector | Posición mariposa | "
        "Temperatura aire admisión | Temperatura refrigerante | Voltaje de batería | Lambda "
        "medida | Lambda objetivo | Ajuste combustible corto plazo | Ajuste combustible largo "
        "plazo | Lazo cerrado | Tiempo de inyección | Presión barométrica | Velocidad del "
        "vehículo | Avance de encendido | Retraso detonación | Presión combustible diferencial"
    ),
    "it": _names(
        "Tempo | Giri motore | Pressione collettore | Posizione farfalla | Temperatura aria "
        "aspirata | Temperatura acqua | Tensione batteria | Lambda misurata | Lambda obiettivo | "
        "Correzione carburante breve termine | Correzione carburante lungo termine | Anello "
        "chiuso | Tempo di iniezione | Pressione atmosferica | Velocità veicolo | Anticipo "
        "accensione | Ritardo detonazione | Pressione carburante differenziale"
    ),
    "pt": _names(
        "Tempo | Rotação do motor | Pressão do coletor | Posição da borboleta | Temperatura ar "
        "admissão | Temperatura líquido de arrefecimento | Tensão da bateria | Lambda medida | "
        "Lambda alvo | Ajuste de combustível curto prazo | Ajuste de combustível longo prazo | "
        "Malha fechada | Tempo de injeção | Pressão barométrica | Velocidade do veículo | Avanço "
        "de ignição | Atraso detonação | Pressão combustível diferencial"
    ),
    "pl": _names(
        "Czas | Obroty silnika | Ciśnienie w kolektorze | Położenie przepustnicy | "
        "Temperatura powietrza dolotowego | Temperatura płynu chłodzącego | Napięcie akumulatora | "
        "Lambda zmierzona | Lambda zadana | Korekta paliwa krótkoterminowa | Korekta paliwa "
        "długoterminowa | Pętla zamknięta | Czas wtrysku | Ciśnienie atmosferyczne | Prędkość "
        "pojazdu | Wyprzedzenie zapłonu | Cofnięcie stukowe | Ciśnienie paliwa różnica"
    ),
    "ru": _names(
        "Время | Обороты двигателя | Давление во впускном коллекторе | Положение дросселя | "
        "Температура воздуха на впуске | Температура охлаждающей жидкости | Напряжение бортсети | "
        "Лямбда измеренная | Лямбда заданная | Краткосрочная топливная коррекция | "
        "Долгосрочная топливная коррекция | Замкнутый контур | Время впрыска | Барометрическое "
        "давление | Скорость автомобиля | Угол опережения зажигания | Отскок по детонации | "
        "Перепад давления топлива"
    ),
    "ja": _names(
        "時間 | エンジン回転数 | 吸気管圧力 | スロットル開度 | 吸気温度 | 冷却水温度 | バッテリー電圧 | "
        "実空燃比 | 目標空燃比 | 短期燃料補正 | 長期燃料補正 | 閉ループ | 燃料噴射時間 | 大気圧 | 車速 | "
        "点火時期 | ノック遅角 | 燃料差圧"
    ),
    "zh": _names(
        "时间 | 发动机转速 | 进气歧管压力 | 节气门开度 | 进气温度 | 冷却液温度 | 蓄电池电压 | 实际空燃比 | "
        "目标空燃比 | 短期燃油修正 | 长期燃油修正 | 闭环 | 喷油脉宽 | 大气压力 | 车速 | 点火提前角 | "
        "爆震推迟 | 燃油压差"
    ),
}
"""Languages and habits; every one names the same channels."""
DECOYS: tuple[tuple[str, str, float, float], ...] = (
    ("Engine Speed Limit", "rpm", 7200.0, 0.0),
    ("Idle Speed Target", "rpm", 850.0, 20.0),
    ("Turbo Speed", "rpm", 60000.0, 20000.0),
    ("Lambda Bank 1 Sensor 2", "λ", 1.0, 0.02),
    ("Lambda Heater Duty", "%", 40.0, 10.0),
    ("Lambda Error", "λ", 0.0, 0.03),
    ("O2 Sensor 2 Voltage", "V", 0.6, 0.2),
    ("MAP Sensor Voltage", "V", 2.0, 0.8),
    ("Boost Pressure Target", "kPa", 150.0, 20.0),
    ("Boost Control Duty", "%", 30.0, 20.0),
    ("Oil Pressure", "kPa", 350.0, 80.0),
    ("Oil Temp", "°C", 95.0, 6.0),
    ("Ambient Air Temp", "°C", 18.0, 0.5),
    ("Accelerator Pedal", "%", 25.0, 20.0),
    ("Injector Dead Time", "ms", 0.9, 0.05),
    ("Injector Duty Limit", "%", 90.0, 0.0),
    ("Knock Count", "", 3.0, 2.0),
    ("Wheel Speed FL", "km/h", 55.0, 20.0),
    ("Fuel Trim Limit", "%", 25.0, 0.0),
    ("Engine Speed Rate", "rpm/s", 0.0, 300.0),
    ("Long Term Trim Cell", "", 7.0, 3.0),
    ("Cam Timing Intake", "deg", 12.0, 8.0),
)
"""Columns that sound like a channel and are none: name, unit, middle, swing."""

MAF_NAMES: dict[str, str] = {
    "plain": "MAF Frequency",
    "short": "MAF_HZ",
    "camel": "MassAirFlowFrequency",
    "dotted": "maf.frequency",
    "J1979": "Mass Air Flow Sensor Frequency",
    "de": "Luftmassenmesser Frequenz",
    "fr": "Fréquence débitmètre d'air",
    "es": "Frecuencia caudalímetro de aire",
    "it": "Frequenza debimetro aria",
    "pt": "Frequência medidor massa de ar",
    "pl": "Częstotliwość przepływomierza powietrza",
    "ru": "Частота ДМРВ",
    "ja": "エアフロメータ周波数",
    "zh": "空气流量计频率",
}
"""The signal of a mass-airflow sensor, which only some cars have."""
for _words, _name in MAF_NAMES.items():
    NAMES[_words][Role.MAF_HZ] = _name
